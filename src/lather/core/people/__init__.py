"""What a photo of people shows: whose each pixel is, and what it is. One reading, that everybody asks (reading.py)."""
