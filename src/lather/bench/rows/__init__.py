"""Rows of the speed table, one file each, and one line each in `bench.registry`."""
