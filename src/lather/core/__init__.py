"""The core computes and never imports Qt."""
