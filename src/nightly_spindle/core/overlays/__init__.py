"""Pools of overlays, and whose turn it is."""
