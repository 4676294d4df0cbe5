"""planning."""
