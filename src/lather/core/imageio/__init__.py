"""Reading and writing picture files, with metadata and limits."""
