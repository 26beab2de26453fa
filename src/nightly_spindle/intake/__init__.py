"""The intake: looks at files that arrive, measures them, takes them into the library."""
