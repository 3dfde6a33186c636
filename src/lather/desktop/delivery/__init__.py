"""Parts of Deliver."""
