"""The place Air."""
