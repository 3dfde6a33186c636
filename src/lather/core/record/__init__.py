"""Records: time, the logbook, own speeds."""
