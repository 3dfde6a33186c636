"""Split: skin parted into a texture band and a tone band, each worked on its own."""
