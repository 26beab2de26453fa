"""Music logs: reading, writing, and what their lines mean."""
