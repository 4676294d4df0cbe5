"""Whole jobs on plain files, without a database: measuring, rendering, batches."""
