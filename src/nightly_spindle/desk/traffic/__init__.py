"""The place Campaigns."""
