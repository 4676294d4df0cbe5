"""Named parts of references: samplings kept by name beside the reading, for areas of looks to be brought to."""

import uuid
from typing import Any

from sqlalchemy.orm import Session

from nuvett.core.errors import InvalidChangeError
from nuvett.core.reading.reading import Reading, Single
from nuvett.core.reading.regions import Sampling
from nuvett.services.platform.studio import Studio
from nuvett.services.references.kept_references import Named, measure_sampling, reading_of, ready_references
from nuvett.store import models

_MAX, _MAX_NAME = 12, 40


def parts_of(session: Session, series_id: uuid.UUID) -> tuple[Single, ...]:
    """All named parts of the references of a series."""
    return tuple(_single(part, row.name) for row in ready_references(session, series_id) for part in row.parts or ())


def _single(part: dict[str, Any], of: str) -> Single:
    reading = Reading.model_validate(part["reading"])
    return Single(
        key=part["key"],
        name=f"{part['name']} of {of}",
        palette=reading.palette,
        statistics=reading.statistics,
        edits=reading.sampling.edits,
    )


def keep_part(reference: models.ReferenceRow, name: str) -> str:
    """Keep what is sampled of a reference as a part of a name; its key.

    Raises InvalidChangeError without a name, for one that is taken, and for too many.
    """
    plain = " ".join(name.split())[:_MAX_NAME]
    held = list(reference.parts or ())
    if not plain:
        raise InvalidChangeError("A part needs a name.")
    if plain.lower() in (part["name"].lower() for part in held):
        raise InvalidChangeError(f"There is a part called {plain} already.")
    if len(held) >= _MAX:
        raise InvalidChangeError(f"A reference has at most {_MAX} parts.")
    part = _kept(uuid.uuid4().hex[:12], plain, reading_of(reference))
    reference.parts = [*held, part]
    return str(part["key"])


def drop_part(reference: models.ReferenceRow, key: str) -> str:
    """Take a named part away; its name. Raises InvalidChangeError for one that is not there."""
    held = list(reference.parts or ())
    gone = next((part for part in held if part["key"] == key), None)
    if gone is None:
        raise InvalidChangeError("That part is not there any more.")
    reference.parts = [part for part in held if part is not gone] or None
    return str(gone["name"])


def _kept(key: str, name: str, reading: Reading) -> dict[str, Any]:
    sampling = reading.sampling.model_dump(mode="json")
    return {"key": key, "name": name, "sampling": sampling, "reading": reading.model_dump(mode="json")}


def restore_parts(studio: Studio, reference: models.ReferenceRow, named: list[Named]) -> None:
    """Let a reference have the parts of a state of its history again; what is not there is measured anew."""
    held = {part["key"]: part for part in reference.parts or ()}
    found = []
    for one in named:
        if (part := held.get(one["key"])) is None:
            reading = measure_sampling(studio, reference.proxy or "", Sampling.model_validate(one["sampling"]))
            part = _kept(one["key"], one["name"], reading)
        found.append(part)
    reference.parts = found or None
