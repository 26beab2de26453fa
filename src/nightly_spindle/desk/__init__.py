"""The desk: everything that the operator does. A client of the engine; no SQL, no domain rules."""
