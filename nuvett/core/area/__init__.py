"""area."""
