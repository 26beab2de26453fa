"""The place Tonight."""
