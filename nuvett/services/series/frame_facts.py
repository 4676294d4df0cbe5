"""Plain facts of frames, taken from their rows."""

import uuid
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any, cast

from sqlalchemy import ColumnElement, Text, func, select
from sqlalchemy import cast as cast_to
from sqlalchemy.orm import Session

from nuvett.core.area.faces import FaceSeen
from nuvett.core.even.even_light import EvenLight
from nuvett.core.look.trim import Trim
from nuvett.core.spaces.rgb import Space
from nuvett.services.engine.facts import Facts, FrameFacts, HeldThread
from nuvett.services.series.lenses import correction_of
from nuvett.services.series.things import held_threads
from nuvett.services.series.variants import SHOWN, with_variants
from nuvett.store import models
from nuvett.store.remembered import renewed

_UNTRIMMED, _NOT_EVENED = Trim(), EvenLight()


def trim_of(frame: models.FrameRow) -> Trim:
    """The trim of a frame."""
    return Trim.model_validate(frame.trim) if frame.trim else _UNTRIMMED


def faces_of(kept: dict[str, Any] | None) -> tuple[FaceSeen, ...]:
    """Faces of a frame; those that earlier versions kept without a place are looked for no more."""
    return tuple(FaceSeen.model_validate(face) for face in (kept or {}).get("seen", ()))


# What rows have beside facts: a change of these alone leaves facts as they are.
_NO_FACTS = ("follows_id", "name", "favourite", "left_out", "position")
_ROW = models.FrameRow
# All that facts are made of: of thousands, objects take twice as long as these columns, and whole ones six times.
_FACTS = (
    *(_ROW.id, _ROW.variant_of_id, _ROW.original, _ROW.developed, _ROW.view, _ROW.sample, _ROW.domain, _ROW.width),
    *(_ROW.height, _ROW.setup_id, _ROW.even, _ROW.trim, _ROW.faces, _ROW.lens, _ROW.subject, _ROW.described),
)
Kept = dict[uuid.UUID, dict[uuid.UUID, str]]


def facts_of(
    frame: models.FrameRow, first: models.FrameRow | None = None, kept: dict[uuid.UUID, str] | None = None
) -> FrameFacts:
    """Plain facts of a measured frame.

    first : the frame that it is a variant of, whose light it has; kept : what looks did to it when they were carried
    """
    first = first or frame
    return FrameFacts(
        id=frame.id,
        first=first.id,
        original=frame.original,
        pixels=frame.developed or frame.original,
        view=frame.view or "",
        sample=frame.sample or "",
        domain=Space(frame.domain),
        width=frame.width,
        height=frame.height,
        setup=first.setup_id,
        even=EvenLight.model_validate(first.even) if first.even else _NOT_EVENED,
        trim=trim_of(frame),
        faces=faces_of(frame.faces),
        lens=correction_of(frame),
        subject=frame.subject or "",
        described=frame.described or "",
        kept=kept or {},
    )


@dataclass(frozen=True)
class _Read:
    """Facts of a series, and those of each frame with the version of the rows that they were read from."""

    facts: Facts
    frames: Mapping[uuid.UUID, tuple[str, FrameFacts]]


def series_facts(session: Session, series: models.SeriesRow) -> Facts:
    """Plain facts of all measured frames of a series and of their variants, in shooting order, with what is held."""
    return renewed(session, series.id, "facts", lambda before: _read_facts(session, series, before)).facts


def _read_facts(session: Session, series: models.SeriesRow, before: _Read | None) -> _Read:
    """Read facts of a series, of rows that are the same as before no more than that.

    What has come to the same facts is the same object then, and has what was worked out of it.
    """
    row, known = models.FrameRow, before.frames if before else {}
    query = select(row.id, row.state, row.variant_of_id, _version().label("version"))
    own = row.series_id == series.id, row.state.in_(SHOWN)
    order = with_variants(session.execute(query.where(*own).order_by(row.position, row.created)))
    rows, kept = {one.id: one.version for one in order}, kept_plans(session, series.id)
    versions = {one.id: f"{one.version} {rows.get(one.variant_of_id, '')}" for one in order}
    anew = [one for one in order if known.get(one.id, ("",))[0] != versions[one.id]]
    needed = {frame for one in anew for frame in (one.id, one.variant_of_id) if frame}
    some = models.among(row.id, needed) if len(needed) < len(order) / 2 else row.series_id == series.id
    columns = session.execute(select(*_FACTS).where(some)).all() if needed else ()
    read = {one.id: cast(models.FrameRow, one) for one in columns if one.id in needed}  # alike as far as facts go
    frames = {}
    for one in order:
        frame, former = read.get(one.id), known[one.id][1] if one.id in known else None
        if frame is not None:
            made = facts_of(frame, read.get(one.variant_of_id), kept.get(one.id))
        elif former is not None:
            made = former if former.kept == kept.get(one.id, {}) else replace(former, kept=kept.get(one.id, {}))
        else:  # taken out meanwhile
            continue
        frames[one.id] = versions[one.id], former if former is not None and former == made else made
    held, facts = tuple(held_threads(session, series)), [made for _, made in frames.values()]
    if before and _are_same(facts, held, before.facts):
        return _Read(before.facts, frames)
    return _Read(Facts(facts).holding(held), frames)


def _version() -> ColumnElement[str]:
    """What tells a row by all but what is no fact of it; columns that are new count."""
    return func.md5(cast_to(func.row(*(c for c in models.FrameRow.__table__.columns if c.name not in _NO_FACTS)), Text))


def _are_same(frames: Sequence[FrameFacts], held: Sequence[HeldThread], before: Facts) -> bool:
    same = len(frames) == len(before) and all(one is other for one, other in zip(frames, before, strict=True))
    return same and [thread.key for thread in held] == [thread.key for thread in before.held]


def kept_plans(session: Session, series_id: uuid.UUID) -> Kept:
    """Keys of what versions did to frames of a series when they were carried, by frame and by version."""
    plan = models.CarriedPlanRow
    query = select(plan.frame_id, plan.version_id, plan.key).join(models.FrameRow, models.FrameRow.id == plan.frame_id)
    found: Kept = {}
    for frame, version, key in session.execute(query.where(models.FrameRow.series_id == series_id)):
        found.setdefault(frame, {})[version] = key
    return found
