"""On cloth and before the background."""
