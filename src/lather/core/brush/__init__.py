"""Brush arithmetic: touch profile, spacing, coverage, predictions."""
