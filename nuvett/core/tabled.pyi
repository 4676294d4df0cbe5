from nuvett.core.types import Floats

def along(table: Floats, at: Floats) -> Floats:
    """Values (C, N) of a table (K, C) over 0 to 1 in even steps, at places (N,), those outside taken as at its ends."""
