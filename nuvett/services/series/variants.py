"""Variants: further versions of a frame beside it, named, each with its own trim and look version.

A variant is a row of its own that shares the frame's files. It is not ready, so that evening, set-ups and counts know
the frame alone; its light is the frame's.
"""

from collections.abc import Iterable
from typing import Any, Protocol, TypeVar

from sqlalchemy import select
from sqlalchemy.orm import Session

from nuvett.core.errors import InvalidChangeError
from nuvett.store import models

VARIANT = "variant"
"""State of a row that is a variant."""

SHOWN = ("ready", VARIANT)
"""States of rows that are shown: frames that were measured, and their variants."""

MAX_VARIANTS, LONGEST_NAME = 8, 40
_SHARED = (
    "series_id",
    "setup_id",
    "position",
    "original",
    "bytes",
    "format",
    "width",
    "height",
    "bits",
    "domain",
    "companion",
    "developed",
    "development",
    "shot",
    "lens",
    "note",
    "taken",
    "view",
    "sample",
    "points",
    "subject",
    "described",
    "exposure",
    "even",
    "faces",
)


def variants_of(session: Session, frame: models.FrameRow) -> list[models.FrameRow]:
    """Variants of a frame, in the order in which they were made."""
    query = select(models.FrameRow).where(models.FrameRow.variant_of_id == frame.id, models.FrameRow.state == VARIANT)
    return list(session.scalars(query.order_by(models.FrameRow.created)))


def make_variant(session: Session, series: models.SeriesRow, frame: models.FrameRow, name: str) -> models.FrameRow:
    """A variant of a frame, or beside another variant of it, that begins as that one is now.

    Raises InvalidChangeError without a name of its own, and for too many.
    """
    name = " ".join(name.split())
    if not name or len(name) > LONGEST_NAME:
        raise InvalidChangeError(f"A variant needs a name of 1 to {LONGEST_NAME} characters.")
    first = session.get(models.FrameRow, frame.variant_of_id, with_for_update=True) if frame.variant_of_id else frame
    if first is None or first.state != "ready":
        raise InvalidChangeError("A variant can be made of a frame that has been measured.")
    session.flush()
    session.refresh(first, with_for_update=True)
    others = variants_of(session, first)
    if len(others) >= MAX_VARIANTS:
        raise InvalidChangeError(f"A frame has at most {MAX_VARIANTS} variants.")
    if any(other.variant.casefold() == name.casefold() for other in others):
        raise InvalidChangeError(f"{first.name} has a variant called {name} already.")
    made = models.FrameRow(
        **{column: getattr(first, column) for column in _SHARED},
        name=f"{first.name} {name}",
        state=VARIANT,
        variant_of_id=first.id,
        variant=name,
        trim=frame.trim,
        follows_id=frame.follows_id,
    )
    session.add(made)
    session.flush()
    return made


def take_variant_out(session: Session, frame: models.FrameRow) -> models.FrameRow:
    """Take a variant out; the frame that it was of. It is kept aside, as frames are. Raises InvalidChangeError."""
    first = session.get(models.FrameRow, frame.variant_of_id) if frame.variant_of_id else None
    if first is None or frame.state != VARIANT:
        raise InvalidChangeError("This is no variant; frames are taken out on Gather.")
    frame.state = "removed"
    session.flush()
    return first


class VariantMember(Protocol):
    """A row of a frame, or what is known of it."""

    @property
    def id(self) -> Any: ...
    @property
    def state(self) -> Any: ...
    @property
    def variant_of_id(self) -> Any: ...


P = TypeVar("P", bound=VariantMember)


def with_variants(rows: Iterable[P]) -> list[P]:
    """Frames in their order, each followed by its variants; variants of frames that are not among them are left out."""
    frames: list[P] = []
    by_frame: dict[object, list[P]] = {}
    for row in rows:
        if row.state == VARIANT:
            by_frame.setdefault(row.variant_of_id, []).append(row)
        else:
            frames.append(row)
    return [one for frame in frames for one in (frame, *by_frame.get(frame.id, ()))]
