"""Alerts: what on the air is worth waking somebody for, who is told, when, in which words."""
