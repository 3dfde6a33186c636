"""Strands: stray hairs taken away, against the background and over skin."""
