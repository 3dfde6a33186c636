"""Views for judging, laid over the finished picture: never part of a job or of an output. One file each."""
