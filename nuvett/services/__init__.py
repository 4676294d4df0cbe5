"""Use cases, one a module: the only place that changes anything."""
