"""Commands of segues."""
