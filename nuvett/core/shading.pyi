from nuvett.core.types import Floats

def scale_by_base(planes: Floats, base: Floats, curve: Floats, floor: float) -> None:
    """Colours scaled as broad light about them is moved by a curve, about a floor below black.

    planes : (3, N) encoded, changed in place; base : (N,) broad light; curve : (K,) light out, for 0 to 1 in even steps
    """

def shade(planes: Floats, x: Floats, y: Floats, form: Floats) -> None:
    """Colours multiplied by exp(stops) at the rim, less within it.

    planes : (3, N) encoded, changed in place; x, y : (N,) places off the centre
    form : (9,) width and height, in the units of places; where it begins, in half diagonals, and over what it becomes
        whole; how far it lies on a superellipse of the fourth power in place of circles, 0 to 1; stops, at most 2
        either way; light from and up to which colours come to be left out, and how far, 0 to 1
    """
