"""Commands of logs and where they come from."""
