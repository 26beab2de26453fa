"""What is set for the whole station, its book, its backups, where logs come from."""
