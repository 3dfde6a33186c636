"""What lays strokes, outlines and sources on the photo."""
