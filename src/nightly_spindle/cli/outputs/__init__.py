"""Commands of outputs, and of what they recorded."""
