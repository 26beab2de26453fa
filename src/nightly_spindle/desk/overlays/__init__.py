"""The place Overlays."""
