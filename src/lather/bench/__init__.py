"""The speed table: one file per row. See `lather bench`."""
