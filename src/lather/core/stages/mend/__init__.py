"""Mend: blemishes and the like, healed on the plain photo."""
