"""Commands of format clocks and made logs."""
