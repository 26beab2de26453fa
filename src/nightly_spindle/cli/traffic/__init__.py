"""Commands of campaigns, breaks and reports."""
