"""Colours of things that a person pointed at, as rows keep them, and of those held; what set-ups plainly share."""

import hashlib
import uuid
from collections import Counter

import numpy as np
from sqlalchemy import select
from sqlalchemy.orm import Session

from nuvett.core.even.together import MAX_TOGETHER
from nuvett.core.evenly import evenly
from nuvett.core.measure.sampling import Sample
from nuvett.core.registration.matching import sure_places
from nuvett.core.thread.colours import Goal
from nuvett.core.thread.places import Outline
from nuvett.core.types import Floats, Linear
from nuvett.imaging.proxy import proxy_size
from nuvett.services.engine.arrays import load_features
from nuvett.services.engine.facts import HeldPlace, HeldThread
from nuvett.services.platform.studio import Studio
from nuvett.store import models
from nuvett.store.models import Json


def colours_of(kept: Json) -> Sample:
    """Colours of a place with where they lie, from what a row keeps of it."""
    colours = Linear(np.array(kept["colours"], dtype=np.float32).reshape(-1, 3))
    return Sample(colours, np.array(kept["places"], dtype=np.float32).reshape(-1, 2))


def key_of(colours: Sample) -> str:
    """Names the colours of a place."""
    return hashlib.sha256(colours.colours.tobytes() + colours.places.tobytes()).hexdigest()


Things = dict[str, tuple[float, float, float]]
"""Linear colours of things that a person pointed at, by the thread that they belong to."""


def things_of(session: Session, series_id: uuid.UUID) -> dict[uuid.UUID, Things]:
    """What was pointed at in each frame of a series, of threads that are seen in several of them."""
    place, thread = models.ThreadPlaceRow, models.ThreadRow
    query = (
        select(place)
        .join(thread, thread.id == place.thread_id)
        .where(
            thread.series_id == series_id,
            thread.kind != "complexion",  # which may be several people
        )
    )
    rows = session.scalars(query).all()
    count = Counter(row.thread_id for row in rows)
    found: dict[uuid.UUID, Things] = {}
    for row in rows:
        colours = colours_of(row.colours).colours
        if len(colours) and count[row.thread_id] > 1:
            red, green, blue = (round(float(value), 5) for value in np.median(colours, axis=0))
            found.setdefault(row.frame_id, {})[str(row.thread_id)] = (red, green, blue)
    return found


def shared_places(studio: Studio, series_id: uuid.UUID, frame_id: uuid.UUID) -> Floats:
    """Places (M, 2) in shares of a frame of what its set-up plainly shows, too: what its even light rests on.

    Frames that have no points yet are left aside. No transaction is open while they are compared.
    """
    with studio.database.session() as session:
        own = session.get_one(models.FrameRow, frame_id)
        ready = models.FrameRow.series_id == series_id, models.FrameRow.state == "ready", models.FrameRow.id != frame_id
        query = select(models.FrameRow).where(*ready, models.FrameRow.setup_id == own.setup_id)
        others = [row.points for row in session.scalars(query.order_by(models.FrameRow.position)) if row.points]
        points, size = own.points, (own.width, own.height)
    if points is None:
        return np.empty((0, 2), np.float32)
    features = load_features(studio.blobs.read(points))
    found = [sure_places(features, load_features(studio.blobs.read(name))) for name in evenly(others, MAX_TOGETHER)]
    places = np.concatenate([np.empty((0, 2), np.float32), *found])
    return np.unique(places / np.array(proxy_size(*size), dtype=np.float32), axis=0)


def held_threads(session: Session, series: models.SeriesRow) -> tuple[HeldThread, ...]:
    """Things that are held in a series, with their colours in the frames that show them."""
    thread, place = models.ThreadRow, models.ThreadPlaceRow
    rows = session.scalars(
        select(thread).where(thread.series_id == series.id, thread.within.is_not(None)).order_by(thread.position)
    ).all()
    if not rows:
        return ()
    places: dict[uuid.UUID, dict[uuid.UUID, HeldPlace]] = {row.id: {} for row in rows}
    for one in session.scalars(select(place).where(place.thread_id.in_(places))):
        colours = colours_of(one.colours)
        if len(colours.colours):
            rings = Outline.model_validate(one.outline).rings
            places[one.thread_id][one.frame_id] = HeldPlace(key_of(colours), colours, rings)
    return tuple(
        HeldThread(row.name, Goal.model_validate(row.goal), row.within or 0.0, places[row.id], series.hero_id)
        for row in rows
    )
