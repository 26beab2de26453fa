"""Logs in the folders of their sources: read, matched to the library."""
