"""Timed events and what they take from: read and edited."""
