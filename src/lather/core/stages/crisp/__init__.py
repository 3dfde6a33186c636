"""Crisp: detail raised where it is painted."""
