"""Nuvett: carries the colour and tone of reference stills to a whole photo series."""

__version__ = "0.2.0"
