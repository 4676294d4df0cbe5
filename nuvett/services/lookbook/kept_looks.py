"""Looks kept from a series into the lookbook, and kept ones revised from there."""

import uuid
from collections.abc import Sequence
from dataclasses import dataclass

from sqlalchemy.orm import Session

from nuvett.core.book.files import Labels
from nuvett.core.book.kept import AREAS, BRUSHED, GEOMETRY, Kept, bare_look
from nuvett.core.errors import InvalidChangeError
from nuvett.core.look.lifting import lifted
from nuvett.core.look.look import Look
from nuvett.core.look.trim import Trim
from nuvett.services.lookbook import book
from nuvett.services.lookbook.made_on import made_on
from nuvett.services.looks import looks
from nuvett.services.references.kept_references import ready_references
from nuvett.services.references.targets import target_document
from nuvett.services.series.catalogue import find_frame, look_of
from nuvett.services.series.frame_facts import trim_of
from nuvett.store import models

_MAX_FROM = 260


@dataclass(frozen=True)
class KeptParts:
    """What of a look in hand is kept: parts by name, and the frame whose geometry or areas go along if asked for."""

    parts: Sequence[str]
    frame: uuid.UUID | None = None


def _kept(session: Session, series: models.SeriesRow, chosen: KeptParts) -> Kept:
    """The look in hand of a series as it would be kept. Raises InvalidChangeError."""
    row = look_of(session, series)
    target = looks.aim_of_draft(session, series, row)
    trim: Trim | None = None
    if {GEOMETRY, BRUSHED} & set(chosen.parts):
        if chosen.frame is None:
            raise InvalidChangeError("Choose the frame whose crop or areas are kept along.")
        own = trim_of(find_frame(session, series, chosen.frame))
        trim = Trim(geometry=own.geometry, areas=own.areas)
    if not chosen.parts:
        raise InvalidChangeError("Choose at least one part to keep.")
    try:
        return Kept(
            look=Look.model_validate(row.draft).everywhere(),
            target=target_document(target).model_copy(update={"each": ()}) if target is not None else None,
            trim=trim,
            made_on=made_on(session, series),
            parts=tuple(chosen.parts),
        )
    except ValueError as error:
        raise InvalidChangeError("There is no such part of a look; nothing was kept.") from error


def keep_look(session: Session, series: models.SeriesRow, labels: Labels, chosen: KeptParts) -> models.KeptLookRow:
    """Keep the look in hand under a name; the draft is said to come from it. Raises as `add_kept`."""
    kept = _kept(session, series, chosen)
    heaviest = _heaviest(session, series)
    came = f"{series.title}; {', '.join(r.name for r in _weighed(session, series))}"
    seen = {"thumbnail": heaviest.view, "domain": heaviest.domain} if heaviest else {}
    named = labels.model_copy(update={"came_from": came[:_MAX_FROM].rstrip("; ")})
    row = book.add_kept(session, named, kept, f"Kept from {series.title}", **seen)
    _remember(session, series, row, 1)
    return row


def revise_from(
    session: Session, series: models.SeriesRow, row: models.KeptLookRow, chosen: KeptParts, number: int
) -> int:
    """Make the look in hand a new version of a kept one, made upon version `number`; the number of it.

    Raises as `revise`.
    """
    made = book.revise(session, row, _kept(session, series, chosen), number)
    _remember(session, series, row, made)
    return made


def keep_from_trim(
    session: Session, series: models.SeriesRow, frame: models.FrameRow, labels: Labels, parts: Sequence[str]
) -> models.KeptLookRow:
    """Keep parts of a frame's trim as a look that aims at nothing. Raises as `add_kept`, and DocumentError."""
    look, _ = lifted(bare_look(), trim_of(frame), parts, uuid.uuid4().hex[:6])
    held = [name for name in parts if not name.startswith("area.")] + [AREAS] * bool(look.areas)
    named = labels.model_copy(update={"came_from": f"{series.title}; the trim of {frame.name}"[:_MAX_FROM]})
    seen = {"thumbnail": frame.view, "domain": frame.domain}
    return book.add_kept(session, named, Kept(look=look, parts=tuple(held)), f"From the trim of {frame.name}", **seen)


def _remember(session: Session, series: models.SeriesRow, row: models.KeptLookRow, number: int) -> None:
    """Let the draft say which kept look it came from; that is no change of the look itself."""
    look = looks.locked_look(session, series)
    look.origin = {"kept": str(row.id), "number": number, "name": row.name}


def _weighed(session: Session, series: models.SeriesRow) -> list[models.ReferenceRow]:
    rows = ready_references(session, series.id, readings=False)
    return [row for row in rows if row.tone_weight + row.colour_weight > 0]


def _heaviest(session: Session, series: models.SeriesRow) -> models.ReferenceRow | None:
    return max(_weighed(session, series), key=lambda r: r.tone_weight + r.colour_weight, default=None)
