"""Commands of timed events."""
