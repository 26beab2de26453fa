"""Outputs at work: streams, sound cards, recordings, and what listeners are told is playing."""
