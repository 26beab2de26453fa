"""Decoding, measuring, marker detection and mixing, on NumPy arrays (frames, channels)."""
