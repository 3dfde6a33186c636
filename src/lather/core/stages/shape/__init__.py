"""Shape: one displacement field for the stage; the picture is resampled once."""
