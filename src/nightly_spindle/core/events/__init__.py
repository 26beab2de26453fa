"""Timed events: what they are, their steps, their calendar."""
