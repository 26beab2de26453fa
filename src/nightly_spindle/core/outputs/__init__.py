"""Outputs: where the sound goes, what listeners are told is playing, how well it is heard."""
