"""reading."""
