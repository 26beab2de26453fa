"""The database, its schema, locks, messages, folders that may hang."""
