"""What the desk and the command line show of a station, worked out from all of it."""
