"""book."""
