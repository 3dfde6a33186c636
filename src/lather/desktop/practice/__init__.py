"""Parts of the practice room."""
