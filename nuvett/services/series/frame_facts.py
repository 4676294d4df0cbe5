"""Plain facts of frames, taken from their rows."""

import uuid
from collections.abc import Sequence
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from nuvett.core.area.faces import FaceSeen
from nuvett.core.even.even_light import EvenLight
from nuvett.core.look.trim import Trim
from nuvett.core.spaces.rgb import Space
from nuvett.services.engine.facts import Facts, FrameFacts
from nuvett.services.series.catalogue import shown_frames
from nuvett.services.series.lenses import correction_of
from nuvett.services.series.things import held_threads
from nuvett.store import models
from nuvett.store.remembered import remembered


def trim_of(frame: models.Frame) -> Trim:
    """The trim of a frame."""
    return Trim.model_validate(frame.trim) if frame.trim else Trim()


def faces_of(kept: dict[str, Any] | None) -> tuple[FaceSeen, ...]:
    """Faces of a frame; those that earlier versions kept without a place are looked for no more."""
    return tuple(FaceSeen.model_validate(face) for face in (kept or {}).get("seen", ()))


Kept = dict[uuid.UUID, dict[uuid.UUID, str]]


def facts_of(
    frame: models.Frame, first: models.Frame | None = None, kept: dict[uuid.UUID, str] | None = None
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
        even=EvenLight.model_validate(first.even) if first.even else EvenLight(),
        trim=trim_of(frame),
        faces=faces_of(frame.faces),
        lens=correction_of(frame),
        subject=frame.subject or "",
        described=frame.described or "",
        kept=kept or {},
    )


def series_facts(session: Session, series: models.Series) -> Facts:
    """Plain facts of all measured frames of a series and of their variants, in shooting order, with what is held."""

    def read() -> Facts:
        facts = facts_of_all(shown_frames(session, series.id), kept_plans(session, series.id))
        return facts.holding(held_threads(session, series))

    return remembered(session, series.id, "facts", read)


def facts_of_all(rows: Sequence[models.Frame], kept: Kept | None = None) -> Facts:
    """Plain facts of frames and of their variants."""
    by_id, kept = {row.id: row for row in rows}, kept or {}
    return Facts(
        facts_of(row, by_id.get(row.variant_of_id) if row.variant_of_id else None, kept.get(row.id)) for row in rows
    )


def kept_plans(session: Session, series_id: uuid.UUID) -> Kept:
    """Keys of what versions did to frames of a series when they were carried, by frame and by version."""
    plan = models.CarriedPlan
    query = select(plan.frame_id, plan.version_id, plan.key).join(models.Frame, models.Frame.id == plan.frame_id)
    found: Kept = {}
    for frame, version, key in session.execute(query.where(models.Frame.series_id == series_id)):
        found.setdefault(frame, {})[version] = key
    return found
