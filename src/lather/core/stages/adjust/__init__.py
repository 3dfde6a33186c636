"""Adjustments: parameters declared once, and a mask that is everywhere, by zone, or painted."""
