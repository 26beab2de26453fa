"""Commands of alerts."""
