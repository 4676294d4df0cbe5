"""drift."""
