"""drawing."""
