"""What is told of it all: the night, the as-run log, findings."""
