"""Delivering: outputs scaled, sharpened, written, read back; sheets and reports."""
