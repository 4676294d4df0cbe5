"""What computes for screens and deliveries: plans, tables, pictures and measures, kept in bounded caches."""
