"""The place Logs."""
