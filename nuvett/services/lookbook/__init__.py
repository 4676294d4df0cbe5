"""Kept looks and lookup tables: brought in, worked out, tried, used, judged."""
