"""What is decided of a finished file beside its colours: how large it is, and how sharp for that size."""
