"""Who gets in, and what every request must pass."""
