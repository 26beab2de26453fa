"""The station book, backups, and edits by name."""
