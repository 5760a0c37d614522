"""The web application: one Django app per stage of the work."""
