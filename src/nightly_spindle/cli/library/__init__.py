"""Commands of the library: items, markers, intake."""
