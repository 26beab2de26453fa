"""Format clocks, plans and made hours: read and edited."""
