"""Kinds of finds: one file each, and one line each in `registry.py`. Values only; finders look for them."""
