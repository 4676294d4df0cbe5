"""View models of the viewer: one frame large, what it can be shown as, and what can stand beside it."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

from nuvett.services.engine.overlays import VEILS
from nuvett.services.series.rows import Reference
from nuvett.web.context import Context
from nuvett.web.views.easel import Easel, FramePlacing, addresses, placed, plan_on
from nuvett.web.views.frame_lists import Choice, choices_around

_WORDS = {
    "original": "Original",
    "evened": "Evened",
    "untrimmed": "Untrimmed",
    "look": "With look",
}
_TRIMMED = "With trim"


@dataclass(frozen=True)
class Beside:
    """Things of one kind that can stand beside the frame: values that the viewer sends, and their words."""

    label: str
    options: list[Choice]


@dataclass(frozen=True)
class Viewing:
    """One frame in the viewer.

    shows : what it can be shown as, in words; pictures : their addresses
    beside_picture, beside_chosen : address and choice of what stands beside, where that is no reference
    """

    slug: str
    frame: Choice
    hero: bool
    faces: int
    placed: FramePlacing
    shows: list[Choice]
    pictures: dict[str, str]
    reference: Reference | None
    beside: list[Beside]
    before_id: str
    next_id: str
    position: int
    count: int
    frames: list[Choice] = field(default_factory=list)
    large: bool = False
    trims: bool = False
    words: str = ""
    beside_picture: str = ""
    beside_chosen: str = ""
    trim_address: str = ""
    beside_size: dict[str, int] = field(default_factory=dict)
    light: str = ""

    @property
    def facts(self) -> dict[str, Any]:
        """What the script of the viewer needs to know."""
        reference = self.reference
        return {
            "slug": self.slug,
            "frame": self.frame.id,
            "placed": self.placed,
            "pictures": self.pictures,
            "large": self.large,
            "veils": list(VEILS),
            "beside": {"picture": self.beside_picture, **self.beside_size} if self.beside_picture else None,
            "reference": {"id": str(reference.id), "width": reference.width, "height": reference.height}
            if reference is not None
            else None,
        }


def viewing(
    context: Context,
    easel: Easel,
    references: Sequence[Reference],
    states: list[Beside],
    large: bool = False,
    called: str = "",
) -> Viewing:
    """The frame on an easel, as the viewer shows it.

    states : of its document that can stand beside; called : what it is seen under, where that is not what is in work
    """
    bench, frame, count = context.studio.bench, easel.frame, len(easel.facts)
    label = easel.labels[frame.id]
    pictures = addresses(bench, easel)
    shows = [Choice(name, _WORDS[name]) for name in pictures]
    if easel.group == "trim":
        shows[-1] = Choice("look", _TRIMMED)
    if called:
        shows[-1] = Choice("look", called)
    beside = [Beside("Reference", [Choice(f"reference {r.id}", r.name) for r in references])]
    return Viewing(
        slug=easel.slug,
        frame=Choice(str(frame.id), label.name),
        hero=label.hero,
        faces=len(frame.faces),
        placed=placed(easel),
        shows=shows,
        pictures=pictures,
        reference=easel.reference,
        beside=[group for group in (*beside, *states) if group.options],
        before_id=str(easel.facts[(easel.index - 1) % count].id),
        next_id=str(easel.facts[(easel.index + 1) % count].id),
        position=easel.index + 1,
        count=count,
        frames=choices_around(easel.facts, easel.labels, easel.index),
        large=large,
        light=frame.even.words if frame.even.shared else "",
        trims=easel.group == "trim" and not large,
        words=_words(context, easel) if large else "",
        trim_address=f"/series/{easel.slug}/trim?frame={frame.id}" if large else "",
        # Without a reference the frame stands beside itself, as it came.
        beside_picture="" if easel.reference else pictures["original"],
        beside_size=size_of(easel),
        beside_chosen="" if easel.reference else "original",
    )


def size_of(easel: Easel) -> dict[str, int]:
    """Width and height of what is seen of the frame on an easel."""
    seen = placed(easel)
    return {"width": seen["width"], "height": seen["height"]}


def _words(context: Context, easel: Easel) -> str:
    """How far the frame is from the target, and was as it came."""
    if easel.aimed is None:
        return ""
    summary = context.studio.bench.measures.summary
    now, came = (
        summary(easel.frame, plan_on(context.studio.bench, easel), easel.aimed),
        summary(easel.frame, context.studio.bench.planner.as_came(easel.frame), easel.aimed),
    )
    if now.drift is None or came.drift is None:
        return ""
    return f"drift {now.drift.value:.1f}, was {came.drift.value:.1f}: {now.drift.words}"
