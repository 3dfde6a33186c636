"""The handbook: its pages, and the screen to read them."""
