"""spatial."""
