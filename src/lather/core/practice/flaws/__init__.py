"""Flaw makers, one file per family; each draws on linear light and says what it drew."""
