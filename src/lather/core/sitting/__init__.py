"""From frame to frame: the same photo developed anew, and other photos of the same person."""
