import numpy as np
from numpy.typing import NDArray

from nuvett.core.types import Floats

# All take and give planes of three channels (3, N), and raise ValueError for others. `how` is what the work depends on,
# one number after the other: here in the order in which it has to stand.

def to_lab(light: Floats, how: Floats) -> Floats:
    """OKLab of linear light. how : two matrices (3, 3): light to cone responses, and the roots of those to OKLab"""

def to_light(lab: Floats, how: Floats) -> Floats:
    """Linear light of OKLab. how : two matrices (3, 3): to roots of cone responses, and those cubed to light"""

def within(lab: Floats, how: Floats) -> Floats:
    """Linear light, 0 to 1, of OKLab whose chroma is lowered to a limit where it lies outside; or encoded.

    how : as `to_light`; exponent, toe, slope and cut of a transfer curve, nought for none; how far outside 0 to 1
    still counts as inside; rows and columns of a grid of limits by
    lightness and hue; its cells (R, C, 4): a corner, its steps to the right and down, and what both together add
    """

def eased(lab: Floats, before: Floats, how: Floats) -> Floats:
    """OKLab eased before a boundary, by where it lay before.

    how : knee and edge as shares of the boundary; then the boundary, as limits in `within`
    """

def gained(light: Floats, how: Floats) -> Floats:
    """Linear light under gains, as `light.apply_gains` says.

    how : gains of red, green, blue and of white; least channels from and to which a colour comes to be clipped white;
    share of the camera's curve; its slope, shoulder and white
    """

def by_lightness(lab: Floats, came: Floats, how: Floats) -> Floats:
    """OKLab through functions of the lightness that came, which is taken as at their ends beyond 0 and 1.

    how : number of points; then at each: lightness, offsets of a and b, what a gives to a and to b, what b gives to
    each
    """

def moved(lab: Floats, how: Floats) -> Floats:
    """OKLab after moves, as `moves.apply_moves` says.

    how : their number; weight for staying; of each its source, its difference, and one over twice its reach squared
    """

def kept(before: Floats, after: Floats, how: Floats) -> Floats:
    """OKLab with what is to be kept of it as it was before, as `keep.keep_softly` says and lays it out."""

def held(before: Floats, after: Floats, how: Floats) -> Floats:
    """OKLab held near where it was before, as `holds.hold_colours` says and lays it out."""

def ranged(lab: Floats, how: Floats) -> Floats:
    """OKLab with ranges of hues changed, as `hues.ranged` says and lays it out."""

def washed(lab: Floats, how: Floats) -> Floats:
    """OKLab with colours along lightness laid over it, as `wash.washed` says and lays it out."""

def curved(lab: Floats, how: Floats) -> Floats:
    """OKLab through curves of lightness and of channels, as `curves.curved` says and lays them out."""

def cast(lab: Floats, how: Floats) -> Floats:
    """OKLab with casts of blacks, neutrals and whites, as `casts.without_casts` says and lays them out."""

def saturated(lab: Floats, how: Floats) -> Floats:
    """OKLab with its chroma scaled, as `chroma.saturated` says and lays it out."""

def greyed(lab: Floats, how: Floats) -> Floats:
    """OKLab as greys, toned, as `grey.greyed` says and lays it out."""

def shifted(a: Floats, b: Floats, weights: Floats, middles: Floats, times: int, narrow: float, least: float) -> Floats:
    """Chromaticities (Z, 2) moved so many times to the middle of those (N,) about them, as mean shift does.

    weights : (Z, N), to each of which `least` is added in the end; narrow : one over twice the squared width
    """

def zone_sums(lab: Floats, zones: Floats, middles: Floats, how: Floats) -> NDArray[np.float64]:
    """Sums (Z, 8) over planes of OKLab by zones of lightness (Z,), each with a middle of a and b (Z, 2).

    Of narrow Gaussian weights; of those times nearness to the middle, alone and times a and b; of broad weights, and
    the same three of those. how : one over twice the squared widths of narrow, broad, nearness; the least nearness
    """

def broad_sums(lightness: Floats, values: Floats, zones: Floats, narrow: float) -> NDArray[np.float64]:
    """Sums (Z, 3) of Gaussian weights about zones of lightness times values (3, N)."""

# What follows changes planes (3, h, w) of encoded colours in place, by others (h, w) beside them, and raises ValueError
# where their sizes differ.

def detailed(planes: Floats, slope: Floats, offset: Floats, how: Floats) -> None:
    """What lies on a base, slope times luminance plus offset, added once more; steps that are large are spared.

    how : gain; minus log2(e) over the square of a step that is large
    """

def screened(planes: Floats, red: Floats, green: Floats, blue: Floats, how: Floats) -> None:
    """Light laid over each channel by screening. how : shares (3,) of it"""

def mixed(planes: Floats, red: Floats, green: Floats, blue: Floats, how: Floats) -> None:
    """On the way to other colours. how : share of the way"""

def drawn_in(planes: Floats, share: Floats, red: Floats, blue: Floats, how: Floats) -> None:
    """Colour drawn toward what red and blue are off luminance in the mean; luminance stays. how : amount"""

def grained(planes: Floats, noise: Floats, how: Floats) -> None:
    """Noise added, less towards black and white.

    how : gain; more in lights, -1 to 1; what is left of it at black and white, of 1, but in black itself none
    """

def sharpened(planes: Floats, blurred: Floats, mask: Floats, how: Floats) -> None:
    """What luminance has off its blurred one added, times a mask. how : gain"""

def hazed(planes: Floats, slope: Floats, offset: Floats, how: Floats) -> None:
    """A veil taken away where transmission, slope times luminance plus offset, is low, or added there.

    how : grey of the veil; share of it that is taken; least transmission; share that is added, and how much less of it
    where transmission is whole
    """

def scaled_by_base(planes: Floats, base: Floats, how: Floats) -> None:
    """Colours scaled as broad light about them is moved by a curve, about a floor below black.

    how : floor; number of knots; light out at the knots, for 0 to 1 in even steps
    """

def shaded(planes: Floats, x: Floats, y: Floats, how: Floats) -> None:
    """Colours multiplied by a power of two at the rim, by less within it; x, y : places off the centre.

    how : width and height, in the units of places; where it begins, in half diagonals, and over what it becomes whole;
    how far it lies on a superellipse of the fourth power in place of circles, 0 to 1; the power; light from and up to
    which colours come to be left out, and how far, 0 to 1
    """
