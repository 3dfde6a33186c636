"""The sitting in the window: its frames, what needs a look, the person's card."""
