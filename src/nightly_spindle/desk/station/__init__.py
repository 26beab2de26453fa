"""The place Station."""
