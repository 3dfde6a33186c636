"""The one window: its top line, its message line, its screens, what it asks."""
