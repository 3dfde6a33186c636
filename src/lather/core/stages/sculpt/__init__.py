"""Sculpt: light and shade laid over the form, following what the light already does."""
