"""Grain: the noise that earlier stages took away, put back to match the photo."""
