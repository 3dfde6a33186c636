"""Colour on the desk."""
