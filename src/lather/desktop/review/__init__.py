"""Parts of Review."""
