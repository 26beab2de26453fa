"""The air engine: the headless process that plays. No Qt."""
