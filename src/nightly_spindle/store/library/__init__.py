"""Items, categories, lists and arrivals: read and edited."""
