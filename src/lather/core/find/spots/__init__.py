"""Spots: where one may be, how large it is, what kind it is."""
