"""Fence and face map: where strokes may go, and where the face is."""
