"""Pools of overlays: read and edited."""
