"""Even: blotches lifted and lowered by light alone."""
