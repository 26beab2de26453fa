"""The place Events."""
