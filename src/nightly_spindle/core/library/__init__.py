"""Items, their markers, and how they arrive."""
