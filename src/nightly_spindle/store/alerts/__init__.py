"""Alerts: read and edited."""
