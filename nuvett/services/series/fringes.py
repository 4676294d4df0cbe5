"""Fringes of colour found in a frame and undone, where its file says nothing of a lens that is known."""

import uuid

import numpy as np

from nuvett.core.drawing.renderer import in_floats
from nuvett.core.errors import InvalidChangeError
from nuvett.core.geometry.fringes import FRINGE_EDGE, find_fringes
from nuvett.imaging.proxy import within_edge
from nuvett.services.platform.studio import Studio
from nuvett.services.series.catalogue import find_frame, find_series, ready_frames
from nuvett.services.series.frame_facts import facts_of
from nuvett.services.series.lenses import FOUND, shot_facts, work_out_lens
from nuvett.store import models


def find_in_frame(studio: Studio, slug: str, frame_id: uuid.UUID, everywhere: bool) -> int:
    """Undo the fringes of colour that a frame shows, in it or in all frames of its camera and lens; how many those are.

    Raises NotFoundError; InvalidChangeError where the frame shows none that are sure.
    """
    with studio.database.session() as session:
        facts = facts_of(find_frame(session, find_series(session, slug), frame_id))
    whole = studio.bench.originals.whole(facts.pixels)
    found = find_fringes(in_floats(within_edge(np.asarray(whole), FRINGE_EDGE)))
    if found is None:
        raise InvalidChangeError("This frame shows no fringes of colour that are sure; nothing was changed.")
    with studio.database.session() as session:
        series = find_series(session, slug)
        frame = find_frame(session, series, frame_id)
        frames = [f for f in ready_frames(session, series.id) if _taken_by(f) == _taken_by(frame)] if everywhere else []
        for one in frames or [frame]:
            one.lens = {**(one.lens or {}), "choice": FOUND, "found": found.model_dump(mode="json")}
            work_out_lens(one)
        return len(frames or [frame])


def _taken_by(frame: models.FrameRow) -> tuple[str, str, float | None, int]:
    """What makes fringes alike: camera, lens and focal length, as the file says, and the size of the picture."""
    facts = shot_facts(frame)
    return facts.camera, facts.lens, facts.focal, max(frame.width or 0, frame.height or 0)
