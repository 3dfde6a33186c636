"""Sculpt on the desk: proposed paths, and how far light and shade follow the form."""
