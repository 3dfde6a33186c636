"""Parts of the job sheet."""
