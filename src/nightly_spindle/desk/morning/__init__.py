"""The place Morning."""
