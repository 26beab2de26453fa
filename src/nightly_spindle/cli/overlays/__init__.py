"""Commands of pools and overlays."""
