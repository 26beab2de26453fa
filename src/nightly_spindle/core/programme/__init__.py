"""What a station has programmed, and the state of what is on air."""
