"""What each stage has of its own on the desk: one folder each, one line each in `registry.py`."""
