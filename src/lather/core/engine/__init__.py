"""Tiles, levels, fingerprints, cache, requests, export. Knows stages only through their registry."""
