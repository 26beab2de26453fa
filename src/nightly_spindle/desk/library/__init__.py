"""The place Library."""
