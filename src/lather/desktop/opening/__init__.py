"""How something comes to be open: a job, the demo, a raw file, a retouch played on another development."""
