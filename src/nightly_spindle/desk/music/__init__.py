"""The place Formats."""
