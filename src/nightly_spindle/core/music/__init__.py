"""The station's own music scheduling: clocks, rules of rotation, made logs."""
