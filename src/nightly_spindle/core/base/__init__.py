"""What everything stands on: errors, time, declared settings, words, findings."""
