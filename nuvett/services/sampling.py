"""Sampling references and weighing their readings into the target of a series."""

import uuid
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass, field
from typing import Any

import cv2
import numpy as np
from pydantic import ValidationError
from sqlalchemy import func, select
from sqlalchemy.orm import Session, defer

from nuvett.core.errors import ConflictError, InvalidChangeError, TargetError
from nuvett.core.fit.usual import WITHOUT_COLOUR, is_monochrome, usual_look
from nuvett.core.look.look import Look
from nuvett.core.reading.reading import Reading, Target, Weighed, blend, read
from nuvett.core.reading.regions import Sampling, sampling_weights
from nuvett.core.types import Mask01
from nuvett.services import catalogue, history
from nuvett.services.gather import refuse
from nuvett.services.studio import Studio
from nuvett.store import models

State = dict[str, dict[str, Any]]
"""What can be changed of references, by their id: sampling, weights, and whether they were taken out."""
_VEIL = (119, 205)  # grey and opacity of what dims pixels that are not meant
_NEAR_LIGHTNESS, _NEAR_PLACE = 0.03, 0.025  # OKLab distances within which pixels are shown for a place on an instrument


def ready_references(session: Session, series_id: uuid.UUID, readings: bool = True) -> list[models.Reference]:
    """References of a series that have been read, in order.

    readings : whether they are looked into; merely listed, the large readings are left in the database
    """
    ready = select(models.Reference).where(
        models.Reference.series_id == series_id,
        models.Reference.state == "ready",
        models.Reference.removed.is_(False),
    )
    if not readings:
        ready = ready.options(defer(models.Reference.reading, raiseload=True))
    return list(session.scalars(ready.order_by(models.Reference.position)))


def give_up(studio: Studio, reference_id: uuid.UUID) -> None:
    """Refuse a reference that could not be read for no foreseen reason."""
    refuse(studio, models.Reference, reference_id)


def parse_sampling(data: object) -> Sampling:
    """A sampling from a request. Raises InvalidChangeError with what is wrong, in words."""
    try:
        return Sampling.model_validate(data)
    except ValidationError as error:
        first = error.errors()[0]
        words = first["msg"].removeprefix("Value error, ")
        raise InvalidChangeError(f"{words[0].upper()}{words[1:]}; nothing was changed.") from error


def sampling_of(reference: models.Reference) -> Sampling:
    """The sampling that a reference is kept with."""
    return Sampling.model_validate(reference.sampling)


def kept_reading(session: Session, reference_id: uuid.UUID) -> Reading:
    """Reading of a reference that has been read."""
    return Reading.model_validate(
        session.scalars(select(models.Reference.reading).where(models.Reference.id == reference_id)).one()
    )


def reading_of(reference: models.Reference) -> Reading:
    """The reading that a reference is kept with."""
    return Reading.model_validate(reference.reading)


def measure_sampling(studio: Studio, proxy: str, sampling: Sampling) -> Reading:
    """Reading of a reference's kept proxy. Raises TooFewPixelsError when too little is sampled."""
    return read(studio.bench.sample(proxy), sampling)


def _veil(weights: Mask01) -> bytes:
    """PNG (mid grey, see-through where weights are 1) to lay over a picture."""
    veil = np.full((*weights.shape, 4), _VEIL[0], dtype=np.uint8)
    veil[..., 3] = np.rint((1 - weights) * _VEIL[1])
    encoded = cv2.imencode(".png", veil, [cv2.IMWRITE_PNG_COMPRESSION, 1])[1]
    return encoded.tobytes()


def dimmed_picture(studio: Studio, proxy: str, sampling: Sampling) -> bytes:
    """PNG veil over all that is not sampled of a reference."""
    return _veil(sampling_weights(studio.bench.sample(proxy), sampling))


@dataclass(frozen=True)
class Lit:
    """A place on an instrument: OKLab lightness on the tone column, or a and b on the colour chart."""

    lightness: float | None = None
    a: float = 0
    b: float = 0


def lit_picture(studio: Studio, proxy: str, lit: Lit) -> bytes:
    """PNG veil over all pixels of a reference but those near a place on an instrument."""
    lab = studio.bench.lab(proxy)
    if lit.lightness is not None:
        gap = np.abs(lab[..., 0] - lit.lightness) / _NEAR_LIGHTNESS
    else:
        gap = np.hypot(lab[..., 1] - lit.a, lab[..., 2] - lit.b) / _NEAR_PLACE
    return _veil(np.clip(2 - gap, 0, 1).astype(np.float32))


@dataclass
class Draft:
    """Changes that are only looked at: readings and weights by reference, in place of those kept."""

    readings: dict[uuid.UUID, Reading] = field(default_factory=dict)
    weights: dict[uuid.UUID, tuple[float, float]] = field(default_factory=dict)


def set_reading(reference: models.Reference, reading: Reading) -> None:
    """Keep a new reading of a reference."""
    reference.sampling = reading.sampling.model_dump(mode="json")
    reference.reading = reading.model_dump(mode="json")


def weighed_readings(session: Session, series_id: uuid.UUID, draft: Draft | None = None) -> list[Weighed]:
    """Readings of a series with their weights, some as a draft has them."""
    draft = draft or Draft()
    found = []
    for row in ready_references(session, series_id):
        reading = draft.readings.get(row.id) or reading_of(row)
        tone, colour = draft.weights.get(row.id, (row.tone_weight, row.colour_weight))
        found.append(Weighed(reading=reading, tone=tone, colour=colour))
    return found


def latest_target(session: Session, series_id: uuid.UUID) -> models.Target | None:
    """The newest version of a series' target, none before anything was read."""
    return session.scalars(
        select(models.Target).where(models.Target.series_id == series_id).order_by(models.Target.number.desc()).limit(1)
    ).first()


def target_versions(session: Session, series_id: uuid.UUID, most: int = 12) -> list[models.Target]:
    """Versions of a series' target, newest first."""
    query = select(models.Target).where(models.Target.series_id == series_id)
    return list(session.scalars(query.order_by(models.Target.number.desc()).limit(most)))


def renew_target(session: Session, series_id: uuid.UUID) -> models.Target | None:
    """Blend the readings anew. A new version is kept unless nothing changed; one never carried or named is replaced.

    Raises TargetError when references exist but all weights are 0.
    """
    weighed = weighed_readings(session, series_id)
    newest = latest_target(session, series_id)
    if not weighed:
        return newest
    document = blend(weighed).model_dump(mode="json")
    if newest is None or newest.document != document:
        _follow_target(session, series_id, newest, Target.model_validate(document))
        number = newest.number + 1 if newest else 1
        if newest is not None and not newest.name and not _is_used(session, newest):
            session.delete(newest)
            session.flush()
            number = newest.number
        newest = models.Target(
            series_id=series_id, number=number, document=document, sources=_state_of(session, series_id)
        )
        session.add(newest)
        session.flush()
    return newest


def _follow_target(session: Session, series_id: uuid.UUID, newest: models.Target | None, target: Target) -> None:
    """Give a draft that nobody has touched the usual look of the new target."""
    row = session.scalars(select(models.Look).where(models.Look.series_id == series_id).with_for_update()).one()
    before, after = usual_look(target_document(newest) if newest else None), usual_look(target)
    if before != after and Look.model_validate(row.draft) == before:
        made = after.model_dump(mode="json")
        words = WITHOUT_COLOUR if is_monochrome(target) else "The usual look, because the reference has colour"
        history.record(session, series_id, f"look:{row.id}", words, row.draft, made)
        row.draft, row.revision = made, row.revision + 1


def renew_target_if_weighed(session: Session, series_id: uuid.UUID) -> models.Target | None:
    """Blend anew; while all weights are 0 the target stays as it was."""
    with suppress(TargetError):
        return renew_target(session, series_id)
    return latest_target(session, series_id)


def renew_target_of_reference(session: Session, reference_id: uuid.UUID) -> None:
    """Blend anew after a reference has been read. Without any weight the target stays as it was."""
    reference = session.get(models.Reference, reference_id)
    if reference is None or reference.state != "ready":
        return
    renew_target_if_weighed(session, reference.series_id)


def _is_used(session: Session, target: models.Target) -> bool:
    used = session.scalar(select(func.count()).where(models.LookVersion.target_id == target.id))
    return bool(used)


def target_document(row: models.Target) -> Target:
    """The target that a row holds. Raises TargetError when it is of another schema."""
    try:
        return Target.model_validate(row.document)
    except ValueError as error:
        raise TargetError("The target was kept by another version of this application.") from error


def waiting_references(session: Session, series: models.Series) -> int:
    """How many references of a series wait to be read."""
    waits = models.Reference.state == "waiting", models.Reference.removed.is_(False)
    query = select(func.count()).where(models.Reference.series_id == series.id, *waits)
    return session.scalar(query) or 0


def lock_series(session: Session, series: models.Series) -> None:
    """Let one change of a series' readings happen at a time. Raises ConflictError when the series is gone."""
    if not catalogue.lock_series(session, series.id):
        raise ConflictError("The series was deleted in another window.")


def _references(session: Session, series_id: uuid.UUID) -> list[models.Reference]:
    return list(session.scalars(select(models.Reference).where(models.Reference.series_id == series_id)))


def _state_of(session: Session, series_id: uuid.UUID) -> State:
    return {
        str(row.id): {
            "sampling": row.sampling,
            "tone": row.tone_weight,
            "colour": row.colour_weight,
            "removed": row.removed,
        }
        for row in _references(session, series_id)
    }


def subject_of(series: models.Series) -> str:
    """What the history of a series' references goes by."""
    return f"read:{series.id}"


@contextmanager
def recorded(session: Session, series: models.Series, words: str) -> Iterator[None]:
    """A change of references: kept in the history under its words, and the target blended anew."""
    lock_series(session, series)
    before = _state_of(session, series.id)
    yield
    session.flush()
    after = _state_of(session, series.id)
    changed = {name for name in before.keys() | after.keys() if before.get(name) != after.get(name)}
    if changed:
        absent = {"removed": True}
        history.record(
            session,
            series.id,
            subject_of(series),
            words,
            {name: before.get(name, absent) for name in changed},
            {name: after[name] for name in changed},
        )
    renew_target_if_weighed(session, series.id)


def restore(session: Session, studio: Studio, series: models.Series, state: State) -> None:
    """Put references back into a state, measuring anew those whose sampling differs; others are left alone."""
    for row in _references(session, series.id):
        wanted = state.get(str(row.id))
        if wanted is None:
            continue
        row.removed = wanted.get("removed", False)
        row.tone_weight, row.colour_weight = (
            wanted.get("tone", row.tone_weight),
            wanted.get("colour", row.colour_weight),
        )
        if row.state == "ready" and wanted.get("sampling", row.sampling) != row.sampling:
            set_reading(row, measure_sampling(studio, row.proxy or "", Sampling.model_validate(wanted["sampling"])))
    session.flush()


def walk_references(session: Session, studio: Studio, series: models.Series, forward: bool) -> str:
    """Undo or redo one change of references; its words. Raises InvalidChangeError when there is none."""
    lock_series(session, series)
    step = (history.step_forward if forward else history.step_back)(session, subject_of(series))
    if step is None:
        raise InvalidChangeError("There is nothing to do again." if forward else "There is nothing to undo.")
    restore(session, studio, series, step.after if forward else step.before)
    renew_target_if_weighed(session, series.id)
    return step.words


def name_target(session: Session, series: models.Series, name: str) -> models.Target:
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


def return_to_target(session: Session, studio: Studio, series: models.Series, number: int) -> None:
    """Sample and weigh the references as they were for a version of the target; what was then is blended anew.

    Raises InvalidChangeError for a version that is not kept, or whose references are gone.
    """
    row = session.scalars(
        select(models.Target).where(models.Target.series_id == series.id, models.Target.number == number)
    ).first()
    if row is None or not row.sources:
        raise InvalidChangeError("How that version was sampled is not kept.")
    sources = {name: state for name, state in row.sources.items() if "sampling" in state}
    name = f"Target as in version {number}"
    with recorded(session, series, name):
        later = {str(r.id): {"removed": True} for r in _references(session, series.id) if str(r.id) not in sources}
        restore(session, studio, series, sources | later)
