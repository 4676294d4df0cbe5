"""look."""
