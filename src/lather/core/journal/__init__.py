"""Between saves: every step written down at once, found again after a crash, and brought back."""
