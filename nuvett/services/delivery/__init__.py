"""Finished files and what goes along with them."""
