"""What a kind of job asks for: limits, and later minutes and cost."""
