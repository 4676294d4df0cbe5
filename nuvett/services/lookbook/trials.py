"""Kept looks tried on the frames of a series: each fitted to it, by the same plans and pictures as everything else."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import cv2
import numpy as np
from sqlalchemy.orm import Session

from nuvett.core.book.kept import Use, aim_onto, laid_onto, trim_onto
from nuvett.core.book.suits import Suit, suit_of
from nuvett.core.computation import COMPUTATION
from nuvett.core.drawing.renderer import Pixels
from nuvett.core.look.look import Look
from nuvett.core.plan.frame_plan import FramePlan
from nuvett.core.planning.summary import SUMMARY
from nuvett.core.planning.warnings import Note
from nuvett.core.reading.reading import Target
from nuvett.core.types import Document
from nuvett.imaging.encode import Format, encode
from nuvett.services.engine.facts import Aimed, Facts, FrameFacts, digest
from nuvett.services.engine.pictures import PREVIEW_QUALITY, TILE_POINTS
from nuvett.services.engine.workbench import Workbench
from nuvett.services.lookbook.book import KeptVersion
from nuvett.services.looks.looks import aim_of_draft
from nuvett.services.references.targets import target_document
from nuvett.services.series.catalogue import look_of
from nuvett.services.series.frame_facts import series_facts
from nuvett.store import models

_MAX_EDGE = 1280


@dataclass(frozen=True)
class Ground:
    """A series that looks are tried on: its frames, its draft, and what that aims at, none before anything was read."""

    slug: str
    facts: Facts
    draft: Look
    target: Target | None
    target_key: str


def ground_of(session: Session, series: models.SeriesRow) -> Ground:
    """A series made ready for trying looks on it."""
    row = look_of(session, series)
    target = aim_of_draft(session, series, row)
    draft, facts = Look.model_validate(row.draft), series_facts(session, series)
    if target is None:
        return Ground(series.slug, facts, draft, None, "")
    return Ground(series.slug, facts, draft, target_document(target), str(target.id))


def aimed_with(ground: Ground, version: KeptVersion, use: Use) -> Aimed:
    """A kept look laid onto the draft of a series, with what it aims at then.

    Raises DocumentError for a part that is not in it.
    """
    look = laid_onto(ground.draft, version.kept, use)
    target = aim_onto(ground.target, version.kept, use)
    if target is None:
        return Aimed(look)
    if target is version.kept.target:
        return Aimed(look, target, version.target_key)
    if target is ground.target:
        return Aimed(look, target, ground.target_key)
    parts = version.kept.parts if use.parts is None else use.parts
    return Aimed(look, target, f"{version.target_key} {ground.target_key} {','.join(sorted(parts))}")


def drafted(ground: Ground) -> Aimed:
    """The draft of a series with what it aims at."""
    return Aimed(ground.draft, ground.target, ground.target_key)


def with_frame_parts(facts: Facts, places: Sequence[int], version: KeptVersion, use: Use) -> Facts:
    """Frames with the geometry and areas of a kept look on some of them, where it has any."""
    if version.kept.trim is None:
        return facts
    chosen = set(places)
    return facts.like(
        replace(f, trim=trim_onto(f.trim, version.kept, use)) if i in chosen else f for i, f in enumerate(facts)
    )


def plans_under(bench: Workbench, facts: Facts, places: Sequence[int], aimed: Aimed) -> list[FramePlan]:
    """Plans of some frames of a series under a look."""
    return [bench.planner.plan(facts, place, aimed) for place in places]


def row_picture(
    bench: Workbench, frames: Sequence[tuple[FrameFacts, FramePlan | None]], cell: tuple[int, int]
) -> bytes:
    """JPEG of frames beside each other, each filling a cell (width, height) in pixels; those without a plan as came."""
    key = ("row", cell, tuple((frame.view, plan.key if plan else "") for frame, plan in frames))
    return bench.pictures.kept(key, lambda: _side_by_side(bench, frames, cell))


def _side_by_side(
    bench: Workbench, frames: Sequence[tuple[FrameFacts, FramePlan | None]], cell: tuple[int, int]
) -> bytes:
    width, height = cell
    row = np.empty((height, width * len(frames), 3), dtype=np.uint8)
    for index, (frame, plan) in enumerate(frames):
        used = plan or bench.planner.as_came(frame) or FramePlan()
        seen = used.placed((frame.width, frame.height)).size
        edge = round(max(seen) * max(width / seen[0], height / seen[1]))
        row[:, index * width : (index + 1) * width] = _filled(
            bench.pictures.drawn(frame, used, min(edge, _MAX_EDGE), TILE_POINTS), cell
        )
    return encode(row, Format.JPEG, PREVIEW_QUALITY)


def _filled(picture: Pixels, cell: tuple[int, int]) -> Pixels:
    """The middle of a picture that fills a cell (width, height)."""
    width, height = cell
    scale = max(width / picture.shape[1], height / picture.shape[0])
    size = (max(width, round(picture.shape[1] * scale)), max(height, round(picture.shape[0] * scale)))
    if size != (picture.shape[1], picture.shape[0]):
        picture = np.asarray(cv2.resize(picture, size, interpolation=cv2.INTER_AREA))
    left, top = (size[0] - width) // 2, (size[1] - height) // 2
    return picture[top : top + height, left : left + width]


class Healthy(Document):
    """What goes wrong with a frame under a look: the key of its plan, and what is noted."""

    plan: str
    notes: tuple[Note, ...]


@dataclass(frozen=True)
class FrameHealth:
    """What goes wrong with one frame under a look; plan : the key of its plan."""

    frame: FrameFacts
    plan: str
    notes: tuple[Note, ...]


_AT_ONCE = 12  # frames that are looked at before what was found is kept


def health_of(
    bench: Workbench, facts: Facts, places: Sequence[int], aimed: Aimed, most: int | None = None
) -> list[FrameHealth]:
    """What goes wrong with some frames of a series under a look.

    most : how many of those that nobody has looked at are looked at now, all by default; the others are left out
    """
    names = {place: _name(bench, facts, place, aimed) for place in places}
    found = bench.lasting.find(Healthy, names.values())
    due = [place for place in places if names[place] not in found][:most]
    for start in range(0, len(due), _AT_ONCE):
        made, plans = {}, []
        for place in due[start : start + _AT_ONCE]:
            plan = bench.planner.plan(facts, place, aimed)
            made[names[place]] = Healthy(plan=plan.key, notes=bench.measures.health(facts[place], plan, aimed))
            plans.append(plan)
        bench.plans.keep(*plans)
        bench.lasting.keep(made)
        found |= made
    known = [(place, found[names[place]]) for place in places if names[place] in found]
    return [FrameHealth(facts[place], one.plan, one.notes) for place, one in known]


def _name(bench: Workbench, facts: Facts, place: int, aimed: Aimed) -> str:
    return digest("health", COMPUTATION, SUMMARY, bench.planner.name(facts, place, aimed))


def suit_on(bench: Workbench, facts: Facts, places: Sequence[int], aimed: Aimed, aims: bool) -> Suit:
    """How a look suits some frames of a series; `aims` whether it aims at something of its own."""
    plans = plans_under(bench, facts, places, aimed)
    frames = [facts[place] for place in places]
    bends = [bench.measures.bending(frame, plan) for frame, plan in zip(frames, plans, strict=True)]
    if not aims:
        return suit_of((), bends)
    summaries = [bench.measures.summary(f, p, aimed) for f, p in zip(frames, plans, strict=True)]
    return suit_of([s.drift.value for s in summaries if s.drift], bends)
