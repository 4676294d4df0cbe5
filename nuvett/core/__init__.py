"""Pure computation: arrays and frozen models in, arrays and frozen models out; no files, clock or globals."""
