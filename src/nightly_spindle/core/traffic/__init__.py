"""Advertising: orders, breaks, and which spots air in which."""
