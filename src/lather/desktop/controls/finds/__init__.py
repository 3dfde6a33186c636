"""Finds on the desk: looked for, stepped through, mended."""
