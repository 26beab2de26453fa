"""Segue rules and joins: read and edited."""
