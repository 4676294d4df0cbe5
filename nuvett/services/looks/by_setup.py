"""A look by set-up: in which way it arrives there, and what of the target the set-up aims at."""

import uuid
from dataclasses import dataclass

import numpy as np
from sqlalchemy.orm import Session

from nuvett.core.errors import InvalidChangeError, NotFoundError
from nuvett.core.look.look import Look
from nuvett.core.look.ways import WAYS, OfSetup, Way
from nuvett.core.plan.frame_plan import FramePlan
from nuvett.core.planning.nearer import nearest, propose, ways_of
from nuvett.core.reading.reading import Single
from nuvett.core.types import OKLab
from nuvett.services.engine.facts import Aimed, Facts, FrameFacts
from nuvett.services.engine.workbench import Workbench
from nuvett.services.looks.looks import aim_of_draft, aimed_at, change_look
from nuvett.services.platform.studio import Studio
from nuvett.services.references.targets import frames_read
from nuvett.services.series.catalogue import find_series, look_of
from nuvett.services.series.frame_facts import series_facts
from nuvett.store import models

_MAX_MEASURED = 4


@dataclass(frozen=True)
class Setup:
    """A set-up of a series: places of its frames, without variants and heroes where there are others."""

    id: uuid.UUID
    name: str
    places: tuple[int, ...]
    count: int
    in_hero_light: bool


@dataclass(frozen=True)
class Arranged:
    """A series whose look is seen by set-up; heroes : frames that its target was read from."""

    facts: Facts
    aimed: Aimed
    setups: tuple[Setup, ...]
    heroes: frozenset[uuid.UUID]
    revision: int

    @property
    def ways(self) -> tuple[Way, ...]:
        """Ways that the look can arrive in; one without a target."""
        return ways_of(self.aimed.look) if self.aimed.target else ("fit",)

    @property
    def singles(self) -> tuple[Single, ...]:
        """Readings that set-ups can aim at alone."""
        return self.aimed.target.each if self.aimed.target else ()

    def setup(self, setup_id: uuid.UUID) -> Setup:
        """A set-up by its id. Raises NotFoundError for one that is gone."""
        found = next((one for one in self.setups if one.id == setup_id), None)
        if found is None:
            raise NotFoundError
        return found


def arranged(session: Session, series: models.SeriesRow) -> Arranged:
    """The draft of a series made ready to be seen by set-up."""
    row = look_of(session, series)
    target = aim_of_draft(session, series, row)
    facts = series_facts(session, series)
    heroes = frozenset(frames_read(target))
    names = {setup.id: setup.name for setup in series.setups}
    found = []
    for key in dict.fromkeys(frame.setup for frame in facts.firsts if frame.setup in names):
        if key is None:
            continue
        own = [i for i, frame in enumerate(facts) if frame.setup == key and frame.id == frame.first]
        others = [i for i in own if facts[i].id not in heroes]
        light = len(others) < len(own)
        found.append(Setup(key, names[key], tuple(others or own), len(own), light))
    aimed = aimed_at(Look.model_validate(row.draft), target)
    return Arranged(facts, aimed, tuple(found), heroes, row.revision)


@dataclass(frozen=True)
class Reached:
    """How a set-up arrives in one way: its middle frame under it, and the mean drift that is left."""

    way: Way
    frame: FrameFacts
    plan: FramePlan
    drift: float | None


@dataclass(frozen=True)
class SetUpColumn:
    """A set-up in all ways; proposed : the way that suits it, and why, where the target is a hero finished by the look.

    A still knows nothing of the steps, which are meant to depart from it.
    """

    setup: Setup
    chosen: Way
    aim: str
    reached: tuple[Reached, ...]
    proposed: tuple[Way, str] | None


def column(bench: Workbench, of: Arranged, setup: Setup, shown: int = 0) -> SetUpColumn:
    """A set-up in all ways, measured on a few of its frames; `shown` is the one of them that is drawn, in turn."""
    look = of.aimed.look
    own = look.of_setup(str(setup.id))
    steps = max(1, len(setup.places) // _MAX_MEASURED)
    measured = setup.places[::steps][:_MAX_MEASURED]
    seen = setup.places[shown % len(setup.places)]
    reached = []
    for way in of.ways:
        aimed = of.aimed.with_look(look.with_setup(own.model_copy(update={"way": way})))
        drifts = [_drift(bench, of.facts, place, aimed) for place in measured]
        known = [drift for drift in drifts if drift is not None]
        plan = bench.planner.plan(of.facts, seen, aimed)
        reached.append(Reached(way, of.facts[seen], plan, float(np.mean(known)) if known else None))
    bench.plans.keep(*(one.plan for one in reached))
    left = {one.way: one.drift for one in reached if one.drift is not None}
    proposed = propose(left, setup.in_hero_light) if of.heroes and len(left) > 1 else None
    chosen = own.way or look.way
    return SetUpColumn(setup, chosen if chosen in of.ways else of.ways[-1], own.aim, tuple(reached), proposed)


def _drift(bench: Workbench, facts: Facts, place: int, aimed: Aimed) -> float | None:
    drift = bench.measures.summary(facts[place], bench.planner.plan(facts, place, aimed), aimed).drift
    return drift.value if drift else None


def choose_everywhere(session: Session, series: models.SeriesRow, way: Way, revision: int) -> None:
    """Let the look arrive in a way wherever a set-up says nothing else. Raises ConflictError."""
    look = Look.model_validate(look_of(session, series).draft)
    change_look(session, series, look.model_copy(update={"way": way}), revision)


def choose(session: Session, series: models.SeriesRow, setup_id: uuid.UUID, own: OfSetup, revision: int) -> None:
    """Let the look arrive in a way of its own in a set-up, or aim at a reading of its own, as one step of its history.

    Raises NotFoundError for a set-up, InvalidChangeError for a reading that is not there, ConflictError.
    """
    of = arranged(session, series)
    setup = of.setup(setup_id)
    if own.aim and own.aim not in {one.key for one in of.singles}:
        raise InvalidChangeError("That reference is not in the target any more.")
    series_way = None if own.way == of.aimed.look.way else own.way
    look = of.aimed.look.with_setup(own.model_copy(update={"way": series_way}))
    change_look(session, series, look, revision, f"{setup.name}: {_words(of, own)}")


def _words(of: Arranged, own: OfSetup) -> str:
    names = {one.key: one.name for one in of.singles}
    said = [] if own.way is None else [WAYS[own.way]]
    said += [f"aims at {names[own.aim]}"] if own.aim else []
    return ", ".join(said) or "as the series"


def take_proposed(studio: Studio, slug: str, revision: int) -> None:
    """Let every set-up arrive in the way that is proposed for it, as one step. Raises ConflictError.

    No transaction is open while ways are tried.
    """
    with studio.database.session() as session:
        of = arranged(session, find_series(session, slug))
    look = of.aimed.look
    for setup in of.setups:
        found = column(studio.bench, of, setup).proposed
        if found is not None:
            way = None if found[0] == look.way else found[0]
            look = look.with_setup(look.of_setup(str(setup.id)).model_copy(update={"way": way}))
    with studio.database.session() as session:
        change_look(session, find_series(session, slug), look, revision, "Each set-up in the way proposed for it")


def take_nearest(studio: Studio, slug: str, revision: int) -> None:
    """Let every set-up aim at the reading that lies nearest to it, as one step.

    Raises InvalidChangeError where there is but one, ConflictError. No transaction is open while they are compared.
    """
    with studio.database.session() as session:
        of = arranged(session, find_series(session, slug))
    if not of.singles:
        raise InvalidChangeError("There is but one reference: read another one first.")
    goals = [OKLab(np.asarray(one.statistics.cloud)) for one in of.singles]
    look = of.aimed.look
    pools = studio.bench.planner.pools(of.facts, look)
    numbers = {frame.setup: number for frame, number in zip(of.facts.firsts, pools.numbers, strict=True)}
    for setup in of.setups:
        own = OKLab(np.asarray(pools.setups[numbers[setup.id]].cloud))
        key = of.singles[nearest(own, goals)].key
        look = look.with_setup(look.of_setup(str(setup.id)).model_copy(update={"aim": key}))
    with studio.database.session() as session:
        change_look(session, find_series(session, slug), look, revision, "Each set-up aims at the still nearest to it")
