"""Outputs: read and edited, their passwords kept apart."""
