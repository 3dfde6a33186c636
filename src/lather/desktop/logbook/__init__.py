"""Parts of the logbook screen."""
