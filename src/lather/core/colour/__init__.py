"""Profiles, transfer functions, CIE Lab and colour differences."""
