"""Rules in local time, stretches of time, names made of dates."""
