"""Under and in the eyes."""
