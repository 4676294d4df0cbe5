"""What goes wrong with a frame under a plan, in words, so that an overdone look is seen before it is kept."""

from collections.abc import Sequence
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from nuvett.core.area.faces import FaceSeen
from nuvett.core.drawing.drawing import compile_stages
from nuvett.core.fit.holds import HoldLimits
from nuvett.core.fit.hues import HueBand
from nuvett.core.measure.sampling import Sample
from nuvett.core.plan.apply import apply_plan, evened_by
from nuvett.core.plan.by_hand import GreyOperation
from nuvett.core.plan.frame_plan import FramePlan
from nuvett.core.planning.framed import Seeing, framed
from nuvett.core.reading.palette import Colour
from nuvett.core.spaces.gamut import map_to_gamut
from nuvett.core.spaces.oklab import linear_to_oklab, oklab_to_linear
from nuvett.core.spaces.rgb import from_linear
from nuvett.core.types import Document, Floats, Linear, OKLab

_COLOURS = 1024
_CLIPPED, _NOTED_CLIPPING = 254.5 / 255, 0.01  # encoded value that 8 bits round to the last code
_GREYS = 48
_STEEP = 2.6  # slope of tone beyond which 8-bit originals show steps
_MOVED = 0.03  # OKLab distance that a person sees as another skin, and chroma below which a hue says little


def at_ends(encoded: Floats) -> tuple[NDArray[np.bool_], NDArray[np.bool_]]:
    """Which encoded colours (..., 3) have a channel clipped to white, and which are black in all channels."""
    most = encoded.max(axis=-1)
    return np.asarray(most >= _CLIPPED), np.asarray(most <= 1 - _CLIPPED)


def newly_at_ends(before: Floats, after: Floats) -> tuple[float, float]:
    """Shares of encoded colours (..., 3) that became white in a channel, and that became black."""
    white, black = (float((now & ~was).mean()) for now, was in zip(at_ends(after), at_ends(before), strict=True))
    return white, black


def newly_clipped(sample: Linear, plan: FramePlan) -> float:
    """Share of sampled colours (N, 3) that become white in a channel, or black, under a plan."""
    before: Floats = np.clip(from_linear(sample), 0, 1)
    after = compile_stages(plan).renderer.picture(before[None], 16)[0] / np.float32(65535)
    return sum(newly_at_ends(before, after))


NoteVeil = Literal["clipping", "steep", "skin", "tinted", "merged", "torn", "richer"]
NoteKind = Literal["clipped", "black", "steep", "skin", "tinted", "merged", "torn", "richer"]


class Note(Document):
    """Something that goes wrong with a frame, in words, and where it is seen.

    kind : clipped and black lie where the clipping view shows them, steep where `steep_tones` says, skin on a face;
        tinted, merged and torn where `core.book.health` says, richer where `core.planning.richer` does
    box : left, top, width and height of that face in shares of the picture
    colour : what shows where a richer colour is; band : the hue range that holds it
    """

    kind: NoteKind
    words: str
    box: tuple[float, float, float, float] | None = None
    colour: Colour | None = None
    band: HueBand | None = None

    @property
    def veil(self) -> NoteVeil:
        """What shows where it is: the clipping view, or what leaves the place open."""
        return "clipping" if self.kind == "clipped" or self.kind == "black" else self.kind

    @property
    def where(self) -> str:
        """The colour that the veil is told, as addresses have it; empty where it needs none."""
        return "" if self.colour is None else ",".join(f"{value:.4f}" for value in self.colour)


def notes_on(
    plan: FramePlan, sample: Sample, seeing: Seeing, faces: Sequence[FaceSeen] = (), limits: HoldLimits | None = None
) -> list[Note]:
    """Notes on a frame's sample under a plan: newly clipped, posterising, faces' skin moved beyond limits."""
    view = framed(plan, sample, seeing, _COLOURS)
    colours = view.colours
    said = []
    before, made = from_linear(colours), from_linear(oklab_to_linear(view.finished(plan)))
    clipped, crushed = newly_at_ends(before, made)
    if clipped >= _NOTED_CLIPPING:
        said.append(Note(kind="clipped", words=f"{100 * clipped:.0f} % newly clipped"))
    if crushed >= _NOTED_CLIPPING:
        said.append(Note(kind="black", words=f"{100 * crushed:.0f} % lost in black"))
    slope, _ = _steepest(plan, colours)
    if slope > _STEEP:
        said.append(Note(kind="steep", words=f"risk of banding: contrast raised {slope:.1f} times as steep"))
    said += [note for face in faces if (note := _skin_note(plan, face, limits or HoldLimits()))]
    return said


def steep_tones(plan: FramePlan, sample: Sample) -> tuple[float, float]:
    """Lightness in OKLab, as the frame came, from and to which tones may break up; none steep enough: (0, 0)."""
    slope, between = _steepest(plan, sample.thinned(_COLOURS).colours)
    return between if slope > _STEEP else (0.0, 0.0)


def _steepest(plan: FramePlan, colours: Linear) -> tuple[float, tuple[float, float]]:
    """Steepest rise of lightness along the greys that the evened frame uses, and the lightness as it came there."""
    came = linear_to_oklab(colours)[:, 0]
    low, high = np.quantile(linear_to_oklab(evened_by(plan, colours))[:, 0], [0.01, 0.99])
    ramp = np.linspace(low, high, _GREYS, dtype=np.float32)
    grey = np.stack([ramp, np.zeros_like(ramp), np.zeros_like(ramp)], axis=1)
    before = plan.without("light")
    after = apply_plan(before, oklab_to_linear(OKLab(grey)))[:, 0]
    slopes = np.diff(after) / max(float(ramp[1] - ramp[0]), 1e-6)
    steep = np.flatnonzero(slopes > _STEEP)
    ends = np.quantile(came, [0.01, 0.99])
    share = (steep.min() / _GREYS, (steep.max() + 1) / _GREYS) if steep.size else (0.0, 0.0)
    return float(slopes.max()), (
        float(ends[0] + share[0] * (ends[1] - ends[0])),
        float(ends[0] + share[1] * (ends[1] - ends[0])),
    )


def _skin_note(plan: FramePlan, face: FaceSeen, limits: HoldLimits) -> Note | None:
    """What becomes of a face's own colour, beyond the limits; none if nothing does, or while skin is held."""
    if plan.holds_skin:
        return None
    colour = Linear(np.array([face.colour], dtype=np.float32))
    old = linear_to_oklab(evened_by(plan, colour))[0]
    new = linear_to_oklab(Linear(map_to_gamut(apply_plan(plan, colour))))[0]
    chroma_old, chroma_new = float(np.hypot(*old[1:])), float(np.hypot(*new[1:]))
    turn = np.degrees(np.arctan2(new[2], new[1]) - np.arctan2(old[2], old[1]))
    turned = float((turn + 180) % 360 - 180)
    lighter = 116 * float(new[0] - old[0])
    words = ""
    moved = float(np.hypot(*(new[1:] - old[1:])))
    if moved > _MOVED and min(chroma_new, chroma_old) > _MOVED and abs(turned) > limits.hue:
        words = f"skin turned {abs(turned):.0f}° towards {'yellow' if turned > 0 else 'pink'}"
    elif (grey := plan.find(GreyOperation)) is not None and grey.amount > 0.5:
        words = ""
    elif chroma_old > _MOVED and chroma_new < chroma_old / 2:
        words = "skin lost more than half its colour"
    elif abs(lighter) > limits.lightness:
        words = f"skin {abs(lighter):.0f} L* {'lighter' if lighter > 0 else 'darker'}"
    return Note(kind="skin", words=words, box=face.box) if words else None
