"""The settings on the screen: rows made from how each is declared, keys, the curve of the pen."""
