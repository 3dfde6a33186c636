"""Shape on the desk."""
