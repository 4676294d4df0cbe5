"""Things followed through a series: where they are seen, what colour they have there, and what it should be."""
