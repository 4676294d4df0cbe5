"""Colour spaces: one module each; RGB spaces and their curves in one registry (`rgb.SPACES`)."""
