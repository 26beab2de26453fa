"""The first window: which station to open, and making a new one step by step."""
