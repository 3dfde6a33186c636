"""What stands between the photo and the job: each takes the pen or works beside the window. Panels show their state."""
