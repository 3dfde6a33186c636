"""What the hand holds: one file per tool, and one line each in `registry.py`. Values only; stages solve them."""
