"""Layer kinds whose strokes only build coverage: the pixels follow pointwise from it, the settings and the picture."""
