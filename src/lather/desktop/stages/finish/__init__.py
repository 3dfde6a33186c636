"""Finish on the desk."""
