"""Nuvett: carries the colour and tone of reference stills to a whole photo series."""

__version__ = "0.3.0"
