"""Crisp on the desk."""
