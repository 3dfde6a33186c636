"""Measuring pictures: tone, texture, and what a retouch did to them."""
