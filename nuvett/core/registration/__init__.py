"""registration."""
