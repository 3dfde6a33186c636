"""Lines: ridges, and what they are: creases, hairs, veins, marks of straps."""
