"""The installation as a whole: whether it runs, how it fares, and what to do where it does not fare well."""
