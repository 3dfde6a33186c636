"""The heart: one package per stage of the course; `registry` lists them."""
