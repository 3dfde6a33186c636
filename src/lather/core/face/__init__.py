"""Faces and people in a photo: found by four small networks, refined by the pixels where those tell better."""
