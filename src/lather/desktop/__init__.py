"""The desktop: shows and steers; computes nothing itself."""
