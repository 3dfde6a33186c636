"""Finish: light, contrast, curve, tints, light pool, background, black and white."""
