"""The marker editor."""
