"""What stages of adjustments share on the desk: the list, the mask, the boxes."""
