"""What makes a retouch look false, measured between the photo and the picture as it is now. One file each."""
