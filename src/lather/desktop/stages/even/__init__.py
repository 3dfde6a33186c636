"""Even on the desk: what is missing at the pointer, outlines, lifting and lowering on one layer or two."""
