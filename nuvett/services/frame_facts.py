"""Plain facts of frames, taken from their rows."""

from typing import Any

from sqlalchemy.orm import Session

from nuvett.core.area.faces import FaceSeen
from nuvett.core.even.even_light import EvenLight
from nuvett.core.look.trim import Trim
from nuvett.core.spaces.rgb import Space
from nuvett.services.catalogue import ready_frames
from nuvett.services.facts import Facts, FrameFacts
from nuvett.store import models


def faces_of(kept: dict[str, Any] | None) -> tuple[FaceSeen, ...]:
    """Faces of a frame; those that earlier versions kept without a place are looked for no more."""
    return tuple(FaceSeen.model_validate(face) for face in (kept or {}).get("seen", ()))


def facts_of(frame: models.Frame) -> FrameFacts:
    """Plain facts of a measured frame."""
    return FrameFacts(
        id=frame.id,
        original=frame.original,
        view=frame.view or "",
        sample=frame.sample or "",
        domain=Space(frame.domain),
        width=frame.width,
        height=frame.height,
        setup=frame.setup_id,
        even=EvenLight.model_validate(frame.even) if frame.even else EvenLight(),
        trim=Trim.model_validate(frame.trim) if frame.trim else Trim(),
        faces=faces_of(frame.faces),
        subject=frame.subject or "",
    )


def series_facts(session: Session, series: models.Series) -> Facts:
    """Plain facts of all measured frames of a series, in shooting order."""
    return Facts(facts_of(frame) for frame in ready_frames(session, series.id))
