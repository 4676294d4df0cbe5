"""plan."""
