"""Commands of the whole station: making, checking, backups, the desk, the demo."""
