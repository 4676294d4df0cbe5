"""The light of a series: evened set-up by set-up in the background, to the hero or to a base that was chosen.

Where several set-ups are due, each is a job of its own, which workers share; the last to end lets the rest be done.
"""

import hashlib
import json
import uuid
from dataclasses import dataclass

from sqlalchemy import func, select, update
from sqlalchemy.orm import Session, aliased

from nuvett.core.errors import InvalidChangeError, NotFoundError
from nuvett.core.even.even_light import EvenLight
from nuvett.core.even.setups import rough_light
from nuvett.core.even.shared import Matched, Seen, match_seen
from nuvett.core.even.together import even_against
from nuvett.core.evenly import evenly
from nuvett.core.planning.series import even_members
from nuvett.core.registration.features import find_features
from nuvett.core.registration.matching import Match
from nuvett.core.spaces.rgb import Space
from nuvett.imaging.proxy import measuring_proxy
from nuvett.imaging.views import decode_view
from nuvett.services.engine.arrays import dump_features, load_colours, load_features
from nuvett.services.platform.blobs import keeping
from nuvett.services.platform.queue import EVEN_SERIES, EVEN_SETUP
from nuvett.services.platform.studio import Studio
from nuvett.services.platform.workers import under_way
from nuvett.services.series.catalogue import ready_frames
from nuvett.services.series.setups import group_frames, number_setups, sort_by_time
from nuvett.services.series.things import Things, things_of
from nuvett.store import models

_METHOD = 2  # raised when the same frames would be evened differently, so that all set-ups are done anew
_SEVERAL = 3  # set-ups that are due, from which each is a job
_ANCHORS = 8  # frames of another set-up that a frame is held against
_FAULT = (
    "Nuvett could not match the light (internal error); frames keep the light they had. "
    "Name the hero again to have it tried once more."
)
LEFT_ALONE = "itself, as it came"


def queue_even(session: Session, studio: Studio, series_id: uuid.UUID | None) -> None:
    """Queue evening of a series, if it is still there, after a frame has been measured or refused.

    In a transaction after that one: a task that waits already would otherwise count for this frame, yet could run
    before the frame's new state can be seen.
    """
    if series_id is not None and session.get(models.SeriesRow, series_id) is not None:
        let_light_be_evened(session, studio, series_id)


def let_light_be_evened(session: Session, studio: Studio, series_id: uuid.UUID) -> None:
    """Queue evening of a series and mark it as due until that is done."""
    due = update(models.SeriesRow).where(models.SeriesRow.id == series_id)
    session.execute(due.values(light_due=True, light_problem=""))
    _queue_rest(session, studio, series_id)


def _queue_rest(session: Session, studio: Studio, series_id: uuid.UUID) -> None:
    studio.queue.defer(session, EVEN_SERIES, once=_name_of(series_id), series_id=str(series_id))


def order_and_even(studio: Studio, series_id: uuid.UUID) -> bool:
    """Once no frame waits any more: order frames by time, find set-ups for those without, and even the light.

    Returns whether the light is even then; where it is not, what is at work queues this again.
    """
    with studio.database.session() as session:
        waiting = session.scalar(
            select(func.count()).where(models.FrameRow.series_id == series_id, models.FrameRow.state == "waiting")
        )
        if waiting:
            return False
        sort_by_time(session, series_id)
        without = (
            models.FrameRow.series_id == series_id,
            models.FrameRow.state == "ready",
            models.FrameRow.setup_id.is_(None),
        )
        if session.scalar(select(models.FrameRow.id).where(*without).limit(1)) is not None:
            frames = ready_frames(session, series_id)
            lights = [
                rough_light(load_colours(studio.blobs.read(frame.sample or "")), frame.exposure) for frame in frames
            ]
            group_frames(session, series_id, frames, lights)
    return even_light(studio, series_id)


@dataclass(frozen=True)
class _Row:
    """What evening needs of a frame, taken from the database once."""

    id: uuid.UUID
    sample: str
    points: str
    exposure: float | None
    alone: bool
    base: uuid.UUID | None
    setup: uuid.UUID | None
    things: Things

    @property
    def own(self) -> bool:
        """Whether the frame is evened with its own set-up."""
        return not self.alone and self.base in (None, self.setup)

    @property
    def facts(self) -> tuple[object, ...]:
        known = (str(self.id), self.sample, self.points, self.exposure, self.alone, str(self.base))
        return (*known, sorted(self.things.items())) if self.things else known


@dataclass(frozen=True)
class _Light:
    """The frames of a series by set-up, those without one under none, and what their light is to be worked out from.

    named : names all that the light of each set-up depends on; kept, own : names that it, and that of frames which
    are evened with their set-up alone, was worked out from
    """

    members: dict[uuid.UUID | None, list[_Row]]
    named: dict[uuid.UUID | None, str]
    kept: dict[uuid.UUID | None, str]
    own: dict[uuid.UUID | None, str]
    hero: uuid.UUID | None

    @classmethod
    def of(cls, session: Session, series: models.SeriesRow, one: uuid.UUID | None = None) -> "_Light":
        """That of a series, or no more of it than one set-up depends on."""
        members: dict[uuid.UUID | None, list[_Row]] = {}
        for row in _rows(session, series.id, one):
            members.setdefault(row.setup, []).append(row)
        asked = members.items() if one is None else [(one, members[one])] if one in members else ()
        named = {setup: _key_of(rows, members, series.hero_id) for setup, rows in asked}
        kept: dict[uuid.UUID | None, str] = {setup.id: setup.light_key for setup in series.setups}
        own: dict[uuid.UUID | None, str] = {setup.id: setup.own_key for setup in series.setups}
        return cls(members, named, kept, own, series.hero_id)

    @property
    def due(self) -> list[uuid.UUID | None]:
        """Set-ups whose frames are not as they were when their light was worked out."""
        return [setup for setup, name in self.named.items() if self.kept.get(setup) != name]

    @property
    def first(self) -> list[uuid.UUID | None]:
        """Those of them whose own frames are still to be evened."""
        return [s for s in self.due if self.own.get(s) != self.named[s] and any(row.own for row in self.members[s])]

    def even_own(self, studio: Studio, setup: uuid.UUID | None) -> None:
        """Even the frames of a set-up that keep to it, to the hero if it is among them."""
        own = [row for row in self.members[setup] if row.own]
        place = next((i for i, row in enumerate(own) if row.id == self.hero), None)
        lights = even_members([_seen(studio, row) for row in own], place, _matched(studio))
        with studio.database.session() as session:
            _keep(session, own, lights)
            if setup is not None:
                _mark(session, setup, own_key=self.named[setup])

    def even_others(self, studio: Studio, setup: uuid.UUID | None) -> None:
        """Even the frames of a set-up that do not keep to it, once the own ones of all are."""
        others = [row for row in self.members[setup] if not row.own]
        lights = [_by_choice(studio, row, self.members) for row in others]
        with studio.database.session() as session:
            _keep(session, others, lights)
            if setup is not None:
                _mark(session, setup, light_key=self.named[setup])


def _mark(session: Session, setup: uuid.UUID, **keys: str) -> None:
    session.execute(update(models.SetUpRow).where(models.SetUpRow.id == setup).values(**keys))


def even_light(studio: Studio, series_id: uuid.UUID) -> bool:
    """Even the light of a series' measured frames; set-ups that are as they were are left alone.

    Returns whether it is even then. Several set-ups are handed to jobs, each of which queues this again.
    """
    with studio.database.session() as session:
        series = session.get(models.SeriesRow, series_id)
        if series is None:
            return False
        light = _Light.of(session, series)
        series.light_due = bool(light.members)
        if not light.members:
            return True
        if _hand_out(session, studio, [setup for setup in light.first if setup is not None]):
            return False
    for setup in light.first:
        studio.pause()
        light.even_own(studio, setup)
    for setup in light.due:
        studio.pause()
        light.even_others(studio, setup)
    with studio.database.session() as session:
        done = update(models.SeriesRow).where(models.SeriesRow.id == series_id)
        session.execute(done.values(light_due=False, light_problem=""))
    return True


def setups_left(session: Session, series: models.SeriesRow) -> int:
    """How many set-ups of a series wait for a job that evens them, or are at work."""
    return len(under_way(session, [_job_of(setup.id) for setup in series.setups])) if series.light_due else 0


def queue_left(session: Session, studio: Studio) -> None:
    """Queue evening of series that are due while nothing evens them, for whatever reason."""
    for series in session.scalars(select(models.SeriesRow).where(models.SeriesRow.light_due)):
        if not setups_left(session, series) and not under_way(session, [_name_of(series.id)]):
            _queue_rest(session, studio, series.id)


def _name_of(series_id: uuid.UUID) -> str:
    return f"even-{series_id}"


def _job_of(setup: uuid.UUID) -> str:
    return f"even-setup-{setup}"


def _hand_out(session: Session, studio: Studio, setups: list[uuid.UUID]) -> bool:
    """Let several set-ups, or some that are being evened, be so each by a job; whether there are any such.

    What is at work may have begun before something changed: one that waits behind it sees whether anything is left.
    """
    names = {_job_of(setup): str(setup) for setup in setups}
    if len(names) < _SEVERAL and not under_way(session, names):
        return False
    for name, setup in names.items():
        studio.queue.defer(session, EVEN_SETUP, once=name, setup_id=setup)
    return True


def even_setup(studio: Studio, setup_id: uuid.UUID) -> None:
    """Even the frames that keep to a set-up, if they are not as they were, and queue what is left for its series."""
    with studio.database.session() as session:
        series = _series_of(session, setup_id)
        if series is None:
            return
        light, series_id = _Light.of(session, series, setup_id), series.id
    if setup_id in light.first:
        studio.pause()
        light.even_own(studio, setup_id)
    with studio.database.session() as session:
        if session.scalar(select(models.SeriesRow.light_due).where(models.SeriesRow.id == series_id)):
            _queue_rest(session, studio, series_id)


def _series_of(session: Session, setup_id: uuid.UUID) -> models.SeriesRow | None:
    of = models.SeriesRow.id == models.SetUpRow.series_id
    return session.scalars(
        select(models.SeriesRow).join(models.SetUpRow, of).where(models.SetUpRow.id == setup_id)
    ).first()


def give_up_setup(studio: Studio, setup_id: uuid.UUID) -> None:
    """As `give_up`, for the series of a set-up."""
    with studio.database.session() as session:
        series = _series_of(session, setup_id)
    if series is not None:
        give_up(studio, series.id)


def give_up(studio: Studio, series_id: uuid.UUID) -> None:
    """Leave a series' light as it is when evening failed for no foreseen reason, and say so."""
    with studio.database.session() as session:
        stopped = update(models.SeriesRow).where(models.SeriesRow.id == series_id)
        session.execute(stopped.values(light_due=False, light_problem=_FAULT))


def _rows(session: Session, series_id: uuid.UUID, one: uuid.UUID | None) -> list[_Row]:
    """What evening needs of the measured frames of a series, in shooting order, or of those one set-up depends on."""
    row, things = models.FrameRow, things_of(session, series_id)
    columns = row.id, row.sample, row.points, row.exposure, row.light_alone, row.light_base_id, row.setup_id
    query = select(*columns).where(row.series_id == series_id, row.state == "ready").order_by(row.position)
    if one is not None:
        own = aliased(row)
        bases = select(own.light_base_id).where(own.setup_id == one)
        query = query.where((row.setup_id == one) | row.setup_id.in_(bases))
    return [
        _Row(own, sample or "", points or "", exposure, alone, base, setup, things.get(own, {}))
        for own, sample, points, exposure, alone, base, setup in session.execute(query)
    ]


def _key_of(rows: list[_Row], members: dict[uuid.UUID | None, list[_Row]], hero: uuid.UUID | None) -> str:
    """Names all that the light of a set-up's frames depends on."""
    chosen = [members.get(base, []) for base in sorted({row.base for row in rows if row.base}, key=str)]
    facts = [[row.facts for row in some] + [row.id == hero for row in some] for some in (rows, *chosen)]
    return hashlib.sha256(json.dumps([_METHOD, facts], default=str).encode()).hexdigest()[:32]


def _seen(studio: Studio, row: _Row) -> Seen:
    """A frame as evening sees it. Frames measured by an earlier version get their points now, from their view."""
    sample = load_colours(studio.blobs.read(row.sample))
    if row.points:
        return Seen(sample, load_features(studio.blobs.read(row.points)), row.exposure, row.things, row.points)
    with studio.database.session() as session:
        frame = session.get_one(models.FrameRow, row.id)
        view, domain = frame.view or "", Space(frame.domain)
    features = find_features(measuring_proxy(decode_view(studio.blobs.read(view)), domain))
    with studio.database.session() as session:
        keep = keeping(session, studio)
        name, _ = keep.put(dump_features(features))
        session.execute(update(models.FrameRow).where(models.FrameRow.id == row.id).values(points=name))
    return Seen(sample, features, row.exposure, row.things)


def _by_choice(studio: Studio, row: _Row, members: dict[uuid.UUID | None, list[_Row]]) -> EvenLight:
    """Even light of a frame that was taken out of its own set-up's light: none, or by another set-up's frames."""
    held = [other for other in members.get(row.base, []) if other.own]
    if row.alone or not held:
        return EvenLight(base=LEFT_ALONE)
    held = list(evenly(held, _ANCHORS))
    with studio.database.session() as session:
        query = select(models.FrameRow).where(models.FrameRow.id.in_([other.id for other in held]))
        lights = {frame.id: frame.even for frame in session.scalars(query)}
        name = session.get_one(models.SetUpRow, row.base).name
    anchors = [(_seen(studio, h), EvenLight.model_validate(lights[h.id] or {})) for h in held]
    return even_against(_seen(studio, row), anchors, name, _matched(studio))


def _matched(studio: Studio) -> Matched:
    """What two frames share, remembered while memory lasts: another hero of a set-up changes nothing of it."""

    def found(first: Seen, second: Seen) -> Match:
        if not (first.name and second.name):
            return match_seen(first, second)
        return studio.bench.matches.get((first.name, second.name), lambda: match_seen(first, second))

    return found


def _keep(session: Session, rows: list[_Row], lights: list[EvenLight]) -> None:
    for row, even in zip(rows, lights, strict=True):
        session.execute(
            update(models.FrameRow).where(models.FrameRow.id == row.id).values(even=even.model_dump(mode="json"))
        )


def name_hero(session: Session, studio: Studio, series: models.SeriesRow, frame: models.FrameRow | None) -> None:
    """Name the hero, or none; its set-up's light is evened to it. Raises InvalidChangeError for a frame not ready."""
    if frame is not None and frame.state != "ready":
        raise InvalidChangeError("Only a frame that has been measured can be the hero.")
    series.hero_id = frame.id if frame else None
    session.flush()
    let_light_be_evened(session, studio, series.id)


def choose_base(
    session: Session, studio: Studio, series: models.SeriesRow, frame: models.FrameRow, choice: str
) -> None:
    """Even a frame's light with its own set-up ("own"), not at all ("none"), or by another set-up (its id).

    Raises InvalidChangeError for the hero and for anything else, NotFoundError for a set-up that is not there.
    """
    if series.hero_id == frame.id:
        raise InvalidChangeError("The hero stays as it came; the others are evened to it.")
    base: uuid.UUID | None = None
    if choice not in ("own", "none"):
        try:
            base = uuid.UUID(choice)
        except ValueError as error:
            raise InvalidChangeError("Light is evened with a set-up, or not at all.") from error
        setup = session.get(models.SetUpRow, base)
        if setup is None or setup.series_id != series.id:
            raise NotFoundError
    frame.light_alone = choice == "none"
    frame.light_base_id = None if base == frame.setup_id else base
    session.flush()
    let_light_be_evened(session, studio, series.id)


def tidy_setups(session: Session, studio: Studio, series: models.SeriesRow) -> None:
    """Number set-ups anew and even the light of those that changed."""
    number_setups(session, series.id)
    let_light_be_evened(session, studio, series.id)
