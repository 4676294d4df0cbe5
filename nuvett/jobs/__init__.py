"""Background work: task definitions for the queue, and the worker that runs them."""
