"""What the engine remembers: its state, the as-run log, alarms."""
