"""Waveforms and joins, painted."""
