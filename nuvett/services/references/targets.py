"""The target of a series: readings weighed and blended, in versions."""

import uuid
from contextlib import suppress
from dataclasses import dataclass, field
from typing import Any

from pydantic import TypeAdapter
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from nuvett.core.errors import ConflictError, InvalidChangeError, TargetError
from nuvett.core.look.look import Look
from nuvett.core.planning.usual import WITHOUT_COLOUR, is_monochrome, usual_look
from nuvett.core.reading.palette import Palette
from nuvett.core.reading.reading import Reading, Target, Weighed, blend
from nuvett.services.platform import history
from nuvett.services.references.kept_references import reading_of, ready_references, state_of
from nuvett.services.references.parts import parts_of
from nuvett.services.series import catalogue
from nuvett.store import models

_PALETTE: TypeAdapter[Palette] = TypeAdapter(Palette)


@dataclass
class TargetDraft:
    """Changes that are only looked at: readings and weights by reference, in place of those kept."""

    readings: dict[uuid.UUID, Reading] = field(default_factory=dict)
    weights: dict[uuid.UUID, tuple[float, float]] = field(default_factory=dict)


def weighed_readings(session: Session, series_id: uuid.UUID, draft: TargetDraft | None = None) -> list[Weighed]:
    """Readings of a series with their weights, some as a draft has them."""
    draft = draft or TargetDraft()
    found = []
    for row in ready_references(session, series_id):
        reading = draft.readings.get(row.id) or reading_of(row)
        tone, colour = draft.weights.get(row.id, (row.tone_weight, row.colour_weight))
        found.append(Weighed(reading=reading, key=str(row.id), name=row.name, tone=tone, colour=colour))
    return found


def latest_target(session: Session, series_id: uuid.UUID) -> models.TargetRow | None:
    """The newest version of a series' target, none before anything was read."""
    return session.scalars(
        select(models.TargetRow)
        .where(models.TargetRow.series_id == series_id)
        .order_by(models.TargetRow.number.desc())
        .limit(1)
    ).first()


def target_versions(session: Session, series_id: uuid.UUID, most: int = 12) -> list[models.TargetRow]:
    """Versions of a series' target, newest first."""
    query = select(models.TargetRow).where(models.TargetRow.series_id == series_id)
    return list(session.scalars(query.order_by(models.TargetRow.number.desc()).limit(most)))


def renew_target(session: Session, series_id: uuid.UUID) -> models.TargetRow | None:
    """Blend the readings anew. A new version is kept unless nothing changed; one never carried or named is replaced.

    Raises TargetError when references exist but all weights are 0.
    """
    weighed = weighed_readings(session, series_id)
    newest = latest_target(session, series_id)
    if not weighed:
        return newest
    blended = blend(weighed).model_copy(update={"parts": parts_of(session, series_id)})
    document = blended.model_dump(mode="json")
    if newest is not None and _but_singles(newest.document) == _but_singles(document):
        newest.document = document  # blended before set-ups could aim at one of several: nothing else differs
        return newest
    _follow_target(session, series_id, newest, Target.model_validate(document))
    number = newest.number + 1 if newest else 1
    if newest is not None and not newest.name and not _is_used(session, newest):
        session.delete(newest)
        session.flush()
        number = newest.number
    made = models.TargetRow(series_id=series_id, number=number, document=document, sources=state_of(session, series_id))
    session.add(made)
    session.flush()
    return made


def _but_singles(document: dict[str, Any]) -> dict[str, Any]:
    return {"parts": []} | {name: value for name, value in document.items() if name != "each"}


def _follow_target(session: Session, series_id: uuid.UUID, newest: models.TargetRow | None, target: Target) -> None:
    """Give a draft that nobody has touched the usual look of the new target."""
    row = session.scalars(select(models.LookRow).where(models.LookRow.series_id == series_id).with_for_update()).one()
    before, after = usual_look(target_document(newest) if newest else None), usual_look(target)
    if before != after and not row.by_hand and Look.model_validate(row.draft) == before:
        made = after.model_dump(mode="json")
        words = WITHOUT_COLOUR if is_monochrome(target) else "The usual look, because the reference has colour"
        history.record(session, series_id, f"look:{row.id}", words, row.draft, made)
        row.draft, row.revision = made, row.revision + 1


def renew_target_if_weighed(session: Session, series_id: uuid.UUID) -> models.TargetRow | None:
    """Blend anew; while all weights are 0 the target stays as it was."""
    with suppress(TargetError):
        return renew_target(session, series_id)
    return latest_target(session, series_id)


def renew_target_of_reference(session: Session, reference_id: uuid.UUID) -> None:
    """Blend anew after a reference has been read. Without any weight the target stays as it was."""
    reference = session.get(models.ReferenceRow, reference_id)
    if reference is None or reference.state != "ready":
        return
    renew_target_if_weighed(session, reference.series_id)


def _is_used(session: Session, target: models.TargetRow) -> bool:
    used = session.scalar(select(func.count()).where(models.LookVersionRow.target_id == target.id))
    return bool(used)


def weighs(sources: dict[str, Any] | None, reference: uuid.UUID) -> bool:
    """Whether a reference has a part in a target that was blended from sources."""
    state = (sources or {}).get(str(reference), {"removed": True})
    return not state.get("removed") and bool(state.get("tone") or state.get("colour"))


def frames_read(target: models.TargetRow | None) -> set[uuid.UUID]:
    """Frames that a target was read from as they were finished."""
    sources = (target.sources if target else None) or {}
    read = {name: state["frame"] for name, state in sources.items() if "frame" in state}
    return {uuid.UUID(frame) for name, frame in read.items() if weighs(sources, uuid.UUID(name))}


def target_document(row: models.TargetRow) -> Target:
    """The target that a row holds. Raises TargetError when it is of another schema."""
    try:
        return Target.model_validate(row.document)
    except ValueError as error:
        raise TargetError("The target was kept by another version of this application.") from error


def lock_series(session: Session, series: models.SeriesRow) -> None:
    """Let one change of a series' readings happen at a time. Raises ConflictError when the series is gone."""
    if not catalogue.lock_series(session, series.id):
        raise ConflictError("The series was deleted in another window.")


def name_target(session: Session, series: models.SeriesRow, name: str) -> models.TargetRow:
    """Keep the present version of the target under a name. Raises InvalidChangeError without target or name."""
    lock_series(session, series)
    plain = " ".join(name.split())[:80]
    target = latest_target(session, series.id)
    if target is None:
        raise InvalidChangeError("There is no target yet: read a reference first.")
    if not plain:
        raise InvalidChangeError("A version needs a name to be kept by.")
    target.name = plain
    return target


def latest_palette(session: Session, series_id: uuid.UUID) -> Palette:
    """Palette of the newest target, empty before there is one; the rest of it is left in the database."""
    target = models.TargetRow
    query = select(target.document["palette"]).where(target.series_id == series_id)
    found = session.scalars(query.order_by(target.number.desc()).limit(1)).first()
    return _PALETTE.validate_python(found) if found else ()
