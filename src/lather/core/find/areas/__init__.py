"""Areas: redness, shine, blotches, what came in from the frame."""
