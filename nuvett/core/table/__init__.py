"""table."""
