"""Colour: redness calmed, one skin part matched to another, teeth, eye whites, irises, shine, curves, hues."""
