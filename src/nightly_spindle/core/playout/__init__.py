"""The sequencer, and all that it decides: what sounds when."""
