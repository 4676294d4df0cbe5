"""Changing a palette by hand: each change gives a new sampling, and the palette is found again around it."""

from dataclasses import dataclass

import numpy as np

from nuvett.core.errors import InvalidChangeError
from nuvett.core.reading.palette import LARGEST, SMALLEST, Colour, Edits, Held, Palette, PaletteColour
from nuvett.core.reading.regions import Sampling
from nuvett.core.spaces.oklab import oklch_to_oklab
from nuvett.core.types import OKLCh

_NEAR = 1e-4  # OKLab distance within which two colours are the same one
_MAX_CHROMA = 0.4


def _colour_at(palette: Palette, index: int) -> PaletteColour:
    if not 0 <= index < len(palette):
        raise InvalidChangeError("The palette has no such colour; it may have changed meanwhile.")
    return palette[index]


def _triple(colour: PaletteColour) -> Colour:
    return colour.lightness, colour.a, colour.b


def _same(one: Colour, other: Colour) -> bool:
    return float(np.abs(np.subtract(one, other)).max()) < _NEAR


def _changed(
    sampling: Sampling, held: list[Held], dropped: tuple[Colour, ...] | None = None, fewer: int = 0
) -> Sampling:
    if len(held) > LARGEST:
        raise InvalidChangeError(f"A palette holds at most {LARGEST} colours.")
    edits = sampling.edits.model_copy(
        update={"held": tuple(held), "dropped": sampling.edits.dropped if dropped is None else dropped}
    )
    colours = min(LARGEST, max(SMALLEST, sampling.colours - fewer, len(held)))
    return sampling.model_copy(update={"edits": edits, "colours": colours})


@dataclass(frozen=True)
class _Split:
    """The held entry of a colour, if it is held, and all others."""

    own: Held | None
    others: list[Held]


def _split(sampling: Sampling, colour: Colour) -> _Split:
    own = next((h for h in sampling.edits.held if _same(h.colour, colour)), None)
    return _Split(own, [h for h in sampling.edits.held if h is not own])


def _is_point(sampling: Sampling, colour: PaletteColour) -> bool:
    return colour.held and _split(sampling, _triple(colour)).own is None


def hold(sampling: Sampling, palette: Palette, index: int) -> Sampling:
    """Keep a palette colour as it is while the others are found again. Raises InvalidChangeError without it."""
    colour = _triple(_colour_at(palette, index))
    split = _split(sampling, colour)
    return _changed(sampling, [*split.others, split.own or Held(colour=colour, stands_for=colour)])


def let_go(sampling: Sampling, palette: Palette, index: int) -> Sampling:
    """Let a held colour be found again. Raises InvalidChangeError for one that comes from a point."""
    colour = _colour_at(palette, index)
    if _is_point(sampling, colour):
        raise InvalidChangeError("This colour comes from a point; take the point away instead.")
    return _changed(sampling, _split(sampling, _triple(colour)).others)


def replace(sampling: Sampling, palette: Palette, index: int, by: Colour) -> Sampling:
    """Put another colour, found in the picture, in the place of one."""
    split = _split(sampling, _triple(_colour_at(palette, index)))
    return _changed(sampling, [*split.others, Held(colour=by, stands_for=by)])


def nudge(sampling: Sampling, palette: Palette, index: int, lch: tuple[float, float, float]) -> Sampling:
    """Show a palette colour as another OKLCh; it goes on standing for the colours it stood for.

    lch : lightness 0 to 1, chroma, hue in degrees. Raises InvalidChangeError outside what can be seen.
    """
    lightness, chroma, hue = lch
    if not (0 <= lightness <= 1 and 0 <= chroma <= _MAX_CHROMA and np.isfinite(hue)):
        raise InvalidChangeError("Lightness runs from 0 to 100, chroma from 0 to 40.")
    old = _colour_at(palette, index)
    split = _split(sampling, _triple(old))
    lab = oklch_to_oklab(OKLCh(np.array([lightness, chroma, hue % 360], dtype=np.float32)))
    stands_for = split.own.stands_for if split.own else _triple(old)
    moved = Held(colour=(float(lab[0]), float(lab[1]), float(lab[2])), stands_for=stands_for)
    return _changed(sampling, [*split.others, moved])


def drop(sampling: Sampling, palette: Palette, index: int) -> Sampling:
    """Leave a colour out of the palette, with all that look like it. Raises InvalidChangeError for the last two."""
    colour = _colour_at(palette, index)
    if len(palette) <= SMALLEST:
        raise InvalidChangeError(f"A palette has at least {SMALLEST} colours.")
    if _is_point(sampling, colour):
        raise InvalidChangeError("This colour comes from a point; take the point away instead.")
    split = _split(sampling, _triple(colour))
    left_out = split.own.stands_for if split.own else _triple(colour)
    return _changed(sampling, split.others, (*sampling.edits.dropped, left_out)[-LARGEST:], fewer=1)


def merge(sampling: Sampling, palette: Palette, index: int, other: int) -> Sampling:
    """Make one colour of two, at their mean by share. Raises InvalidChangeError for a colour with itself."""
    one, two = _colour_at(palette, index), _colour_at(palette, other)
    if index == other:
        raise InvalidChangeError("Two different colours are merged.")
    if len(palette) <= SMALLEST:
        raise InvalidChangeError(f"A palette has at least {SMALLEST} colours.")
    weights = np.array([one.share, two.share]) + 1e-9
    mean = (weights[:, None] * np.array([_triple(one), _triple(two)])).sum(axis=0) / weights.sum()
    mixed = (float(mean[0]), float(mean[1]), float(mean[2]))
    left = [h for h in sampling.edits.held if not (_same(h.colour, _triple(one)) or _same(h.colour, _triple(two)))]
    return _changed(sampling, [*left, Held(colour=mixed, stands_for=mixed)], fewer=1)


def find_again(sampling: Sampling) -> Sampling:
    """Forget every decision about the palette but its order."""
    return sampling.model_copy(update={"edits": Edits(order=sampling.edits.order)})


def use_palette(sampling: Sampling, colours: tuple[Colour, ...]) -> Sampling:
    """Hold the colours of a saved palette. Raises InvalidChangeError for more than a palette takes."""
    held = [Held(colour=c, stands_for=c) for c in colours]
    if not SMALLEST <= len(held) <= LARGEST:
        raise InvalidChangeError(f"A palette has {SMALLEST} to {LARGEST} colours.")
    return _changed(sampling, held, ()).model_copy(update={"colours": len(held)})
