"""Parts of the desk: the strips above and below the photo, the boxes beside it."""
