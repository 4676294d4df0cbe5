"""steps."""
