"""Which lens a frame was taken with, as its file says or as a person says, and whether what it did is undone."""

from typing import Any

from sqlalchemy.orm import Session

from nuvett.core.errors import InvalidChangeError
from nuvett.core.geometry.lens import LensCorrection
from nuvett.imaging.facts import FileFacts
from nuvett.imaging.lens_database import KnownLens, correction_by, find_lens, lenses_named, usual_correction
from nuvett.services.series.catalogue import ready_frames
from nuvett.services.series.companions import RAW
from nuvett.store import models

AUTO, OFF, FOUND = "auto", "off", "found"
_FINISHED = "cameras mostly do that to their own pictures themselves"


def shot_facts(frame: models.FrameRow) -> FileFacts:
    """What a frame's file says of how it was taken."""
    return FileFacts.model_validate(frame.shot or {})


def work_out_lens(frame: models.FrameRow) -> None:
    """Find the correction of a measured frame anew, by what was chosen for it."""
    state: dict[str, Any] = frame.lens or {}
    choice, fringes = state.get("choice", AUTO), state.get("found")
    facts, size = shot_facts(frame), (frame.width, frame.height)
    known, found = find_lens(facts), None
    if choice == AUTO:
        found = usual_correction(facts, size, frame.format == RAW)
    elif choice == FOUND:
        found = LensCorrection.model_validate(fringes) if fringes else None
    elif choice != OFF:
        found = correction_by(choice, facts, size)
    frame.lens = {
        "choice": choice,
        "known": known.title if known else "",
        "correction": found.model_dump(mode="json") if found else None,
        **({"found": fringes} if fringes else {}),
    }


def correction_of(frame: models.FrameRow) -> LensCorrection | None:
    """What is undone of a frame's lens."""
    kept = (frame.lens or {}).get("correction")
    return LensCorrection.model_validate(kept) if kept else None


def lens_words(frame: models.FrameRow) -> str:
    """What is known of a frame's lens and done about it, in words; nothing where its file names none."""
    state: dict[str, Any] = frame.lens or {}
    correction, known, facts = correction_of(frame), state.get("known", ""), shot_facts(frame)
    if correction is not None:
        return correction.words
    if state.get("choice") == OFF:
        return f"{known or facts.lens}: left as it is"
    if state.get("choice", AUTO) != AUTO:
        return "The chosen lens cannot have taken this frame; nothing is undone"
    if known and frame.format == RAW:
        return f"{known}: nothing is known to undo at {facts.focal or 0:g} mm"
    if known:
        return f"{known}: left as it is, for {_FINISHED}"
    return f"{facts.lens}: not a lens that is known; it can be chosen" if facts.lens and frame.format == RAW else ""


def choose_lens(session: Session, series: models.SeriesRow, frame: models.FrameRow | None, choice: str) -> int:
    """Choose a lens by its key, AUTO or OFF, for a frame, or for all of the series; how many frames that is.

    Raises InvalidChangeError for a lens that is not known, or that cannot have taken the frame.
    """
    frames = [frame] if frame is not None else ready_frames(session, series.id)
    for one in frames:
        one.lens = {**(one.lens or {}), "choice": choice}
        work_out_lens(one)
    if choice not in (AUTO, OFF) and not any(correction_of(one) for one in frames):
        raise InvalidChangeError("That lens cannot have taken this: its focal length or its sensor is another one.")
    return len(frames)


def lenses_for(frame: models.FrameRow, text: str) -> list[KnownLens]:
    """Lenses by words of their names, those that fit the frame's camera first."""
    return lenses_named(text[:80], shot_facts(frame))
