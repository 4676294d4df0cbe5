"""Kept looks and looks in hand put to use: as the draft of a series, on chosen frames, on another series."""

import uuid
from dataclasses import dataclass
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from nuvett.core.book.kept import BRUSHED, GEOMETRY, PARTS, Use, trim_onto, with_palette
from nuvett.core.errors import InvalidChangeError, TargetError
from nuvett.core.look.look import Look, take_parts
from nuvett.core.reading.swatches import SavedPalette
from nuvett.core.steps.wash import WashStep
from nuvett.services.engine.facts import Aimed
from nuvett.services.lookbook.book import KeptVersion, keep_target, mark_used, version_of
from nuvett.services.lookbook.made_on import differing, made_on
from nuvett.services.lookbook.trials import aimed_with, ground_of
from nuvett.services.looks import looks
from nuvett.services.looks.carrying import Carried, carry_as
from nuvett.services.looks.trims_of_many import keep_trim
from nuvett.services.platform.studio import Studio
from nuvett.services.references.targets import frames_read, latest_target, target_document
from nuvett.services.series.catalogue import find_series, look_of
from nuvett.services.series.frame_facts import trim_of
from nuvett.store import models


def words_of_use(version: KeptVersion, use: Use) -> str:
    """What a history says of a kept look that was used."""
    said = f"{version.name}, version {version.number} of the lookbook"
    if use.parts is not None:
        said += f": {', '.join(PARTS[part].lower() for part in PARTS if part in use.parts)}"
    return said if use.strength == 100 else f"{said}, at {use.strength:g} %"


def _aim_row(session: Session, series: models.SeriesRow, aimed: Aimed, version: KeptVersion) -> uuid.UUID | None:
    """The row of what a look aims at with a kept one laid onto it; none for the series' own newest target."""
    own = looks.aim_of_draft(session, series, look_of(session, series))
    if own is not None and aimed.target_key == str(own.id):
        return look_of(session, series).target_id
    if aimed.target is None:
        return None
    if aimed.target_key == version.target_key:
        return uuid.UUID(version.target_key)
    return keep_target(session, aimed.target).id


@dataclass(frozen=True)
class Meant:
    """A kept look as it is meant to be used on a series: laid onto its draft, with what it aims at then.

    revision : of the draft that it was laid onto
    """

    version: KeptVersion
    use: Use
    aimed: Aimed
    revision: int


def meant(studio: Studio, slug: str, look_id: uuid.UUID, number: int | None, use: Use) -> Meant:
    """A version of a kept look made ready for use on a series; no transaction is open while that is worked out.

    Raises NotFoundError, and as `aimed_with`.
    """
    with studio.database.session() as session:
        series = find_series(session, slug)
        version, ground = version_of(session, look_id, number), ground_of(session, series)
        revision = look_of(session, series).revision
    return Meant(version, use, aimed_with(ground, version, use), revision)


def use_here(session: Session, series: models.SeriesRow, asked: Meant) -> str:
    """Make a kept look the draft of a series, as one step of its history; in words. Raises ConflictError."""
    version, use, aimed = asked.version, asked.use, asked.aimed
    aim = looks.DraftAim(_aim_row(session, series, aimed, version), version.origin, aimed.target is None)
    words = words_of_use(version, use)
    looks.change_look(session, series, aimed.look, asked.revision, words, aim)
    mark_used(session, version.look_id)
    other = differing(version.kept.made_on, made_on(session, series))
    return f"{words}: {other}" if other else words


def aim_at_own(session: Session, series: models.SeriesRow) -> None:
    """Let the draft aim at the series' own target again. Raises TargetError before anything was read."""
    row = look_of(session, series)
    target = latest_target(session, series.id)
    if target is None:
        raise TargetError("There is no target yet: read a reference first.")
    look = Look.model_validate(row.draft)
    if row.by_hand and frames_read(target):  # made on that very frame: its steps are not to be made after the fit again
        look = look.model_copy(update={"way": "both"})
    looks.change_look(
        session, series, look, row.revision, "Aims at the series’ own target", looks.DraftAim(None, row.origin)
    )


AIM = "aim"
"""The part of another series' look that is what it aims at."""


def take_over(
    session: Session, series: models.SeriesRow, source: models.SeriesRow, parts: frozenset[str] | None, revision: int
) -> None:
    """Take another series' look, whole or by named parts, as one step that can be undone.

    What it aims at is taken only by name. Raises DocumentError for a part that is not there, InvalidChangeError for
    the series' own look and for an aim where there is none, ConflictError.
    """
    if series.id == source.id:
        raise InvalidChangeError("That is this series' own look.")
    theirs, row = look_of(session, source), looks.locked_look(session, series)
    look = Look.model_validate(theirs.draft).everywhere()
    count = len(parts or ())
    said = "Look" if parts is None else f"{count} part{'' if count == 1 else 's'} of the look"
    words = f"{said} of {source.title}"
    if parts is not None:
        look = take_parts(Look.model_validate(row.draft), look, parts - {AIM})
    aim = _aim_of(session, source, theirs) if parts is not None and AIM in parts else None
    looks.change_look(session, series, look, revision, words, aim)


def _aim_of(session: Session, series: models.SeriesRow, row: models.LookRow) -> looks.DraftAim:
    """What a draft aims at, kept so that another series can aim at it. Raises InvalidChangeError for nothing."""
    kept = _aim_kept(session, series, row)
    if kept is None:
        raise InvalidChangeError(f"The look of {series.title} aims at nothing.")
    return looks.DraftAim(kept, row.origin)


def _aim_kept(session: Session, series: models.SeriesRow, row: models.LookRow) -> uuid.UUID | None:
    """The target that a draft aims at, kept apart from its series; none for one that aims at nothing."""
    target = looks.aim_of_draft(session, series, row)
    if target is None:
        return None
    return keep_target(session, target_document(target)).id if target.series_id else target.id


def lay_palette_as_wash(session: Session, series: models.SeriesRow, palette: SavedPalette) -> None:
    """Lay a saved palette over the draft of a series as its wash, as one step of its history."""
    row = look_of(session, series)
    look = Look.model_validate(row.draft)
    colours = tuple((c.lightness, c.a, c.b) for c in palette.colours)
    wash = look.step(WashStep).model_copy(update={"on": True, "colours": colours})
    looks.change_look(session, series, look.with_step(wash), row.revision, f"Wash with {palette.name}")


def aim_at_palette(session: Session, series: models.SeriesRow, palette: SavedPalette) -> None:
    """Let the draft of a series aim at the colours of a saved palette, as one step of its history.

    Raises TargetError before there is a target whose tone it keeps.
    """
    row = look_of(session, series)
    own = looks.aim_of_draft(session, series, row)
    if own is None:
        raise TargetError("There is no target yet: read a reference first.")
    target = keep_target(session, with_palette(target_document(own), palette.colours))
    look = Look.model_validate(row.draft)
    looks.change_look(
        session,
        series,
        look,
        row.revision,
        f"Aims at the colours of {palette.name}",
        looks.DraftAim(target.id, row.origin),
    )


def carry_kept(session: Session, series: models.SeriesRow, asked: Meant, frames: list[uuid.UUID]) -> str:
    """Make chosen frames follow a kept look, whatever the draft is; in words. Raises as `carry_as`."""
    version, use, aimed = asked.version, asked.use, asked.aimed
    target = _aim_row(session, series, aimed, version) or _own_target(session, series)
    carried = Carried(aimed.look.model_dump(mode="json"), target, version.origin)
    made = carry_as(session, series, carried, frames)
    _frame_parts(session, series, version, use, frames)
    mark_used(session, version.look_id)
    count = f"{len(frames)} frame{'' if len(frames) == 1 else 's'}"
    return f"Carried {words_of_use(version, use)} to {count}, as version {made.number}"


def _own_target(session: Session, series: models.SeriesRow) -> uuid.UUID | None:
    own = looks.aim_of_draft(session, series, look_of(session, series))
    return own.id if own is not None else None


def _frame_parts(
    session: Session, series: models.SeriesRow, version: KeptVersion, use: Use, frames: list[uuid.UUID]
) -> None:
    """Lay the kept geometry and areas of a frame onto those that the look was carried to."""
    parts = set(version.kept.parts if use.parts is None else use.parts)
    if version.kept.trim is None or not parts & {GEOMETRY, BRUSHED}:
        return
    for frame in session.scalars(select(models.FrameRow).where(models.among(models.FrameRow.id, frames))):
        keep_trim(session, frame, trim_onto(trim_of(frame), version.kept, use), f"From {version.name}: ")


def carry_in_hand(session: Session, source: models.SeriesRow, series: models.SeriesRow) -> str:
    """Make the look in hand of a series the draft of another one, and carry it to all its frames; in words.

    Two steps there, each of which can be undone.
    """
    if source.id == series.id:
        raise InvalidChangeError("That is this series itself.")
    theirs = look_of(session, source)
    kept = _aim_kept(session, source, theirs)
    aim = looks.DraftAim(kept, theirs.origin, by_hand=kept is None)
    look = Look.model_validate(theirs.draft).everywhere()
    looks.change_look(
        session, series, look, look_of(session, series).revision, f"The look in hand of {source.title}", aim
    )
    made = carry_as(session, series, Carried(look.model_dump(mode="json"), kept, theirs.origin))
    count = session.scalar(select(func.count()).where(models.FrameRow.follows_id == made.id)) or 0
    return f"Carried to {count} frame{'' if count == 1 else 's'} of {series.title}, as its version {made.number}"


@dataclass(frozen=True)
class Origin:
    """The kept look that a draft or a version came from, and whether there is a newer version of it by now."""

    kept: str
    name: str
    number: int
    newest: int
    state: str
    starter: bool = False

    @property
    def is_behind(self) -> bool:
        """Whether a newer version is there."""
        return self.newest > self.number


def origin_of(session: Session, kept: dict[str, Any] | None) -> Origin | None:
    """Where a look came from; none for one that was made in its series, or whose kept look was deleted."""
    if not kept:
        return None
    row = session.get(models.KeptLookRow, uuid.UUID(kept["kept"]))
    if row is None:
        return None
    query = select(func.max(models.KeptVersionRow.number)).where(models.KeptVersionRow.look_id == row.id)
    return Origin(kept["kept"], row.name, int(kept["number"]), session.scalar(query) or 0, row.state, bool(row.starter))
