"""Lenses: the made-up one of the demo beside the database that ships with lensfunpy (data under CC BY-SA 3.0)."""
