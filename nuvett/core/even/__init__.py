"""even."""
