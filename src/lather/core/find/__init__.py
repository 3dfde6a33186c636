"""Flaw finders, one file per family of flaws; `finder.find_all` runs them and says what is worth mending."""
