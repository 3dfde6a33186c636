"""What this stage has of its own on the desk."""
