"""The segue editor and the segue rules."""
