"""Campaigns and break patterns: read and edited."""
