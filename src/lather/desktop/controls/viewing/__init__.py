"""Ways to look at the photo: tour, pin, remarks."""
