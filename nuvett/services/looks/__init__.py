"""The look of a series, what frames follow, and the trims of single frames and of many."""
