"""Commands of the engine: air, rehearse, render, status."""
