"""Plain facts of frames, taken from their rows."""

from collections.abc import Sequence
from typing import Any

from sqlalchemy.orm import Session

from nuvett.core.area.faces import FaceSeen
from nuvett.core.even.even_light import EvenLight
from nuvett.core.spaces.rgb import Space
from nuvett.services.catalogue import shown_frames
from nuvett.services.facts import Facts, FrameFacts
from nuvett.services.lenses import correction_of
from nuvett.services.trims import trim_of
from nuvett.store import models


def faces_of(kept: dict[str, Any] | None) -> tuple[FaceSeen, ...]:
    """Faces of a frame; those that earlier versions kept without a place are looked for no more."""
    return tuple(FaceSeen.model_validate(face) for face in (kept or {}).get("seen", ()))


def facts_of(frame: models.Frame, first: models.Frame | None = None) -> FrameFacts:
    """Plain facts of a measured frame; `first` is the frame that it is a variant of, whose light it has."""
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
    )


def series_facts(session: Session, series: models.Series) -> Facts:
    """Plain facts of all measured frames of a series and of their variants, in shooting order."""
    return facts_of_all(shown_frames(session, series.id))


def facts_of_all(rows: Sequence[models.Frame]) -> Facts:
    """Plain facts of frames and of their variants."""
    by_id = {row.id: row for row in rows}
    return Facts(facts_of(row, by_id.get(row.variant_of_id) if row.variant_of_id else None) for row in rows)
