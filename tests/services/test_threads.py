"""Threads: things pointed at in frames, kept, measured against what they should be, undone, copied with a series."""

import uuid
from collections.abc import Iterator
from contextlib import contextmanager

import numpy as np
import pytest
from sqlalchemy import select
from sqlalchemy.orm import Session

from nuvett.core.errors import InvalidChangeError, NotFoundError
from nuvett.core.look.look import Look
from nuvett.core.look.trim import Trim
from nuvett.core.steps.exposure import ExposureStep
from nuvett.core.thread.brushing import Brushed
from nuvett.core.thread.colours import Goal
from nuvett.core.thread.growth import Pointed
from nuvett.services.engine.wall import Show
from nuvett.services.looks import carrying
from nuvett.services.looks.trims_of_many import keep_trim
from nuvett.services.platform.studio import Studio
from nuvett.services.series import catalogue, lighting
from nuvett.services.series.frame_facts import series_facts
from nuvett.services.shelf import filing
from nuvett.services.threads import threads
from nuvett.services.threads.outlines import called, grow
from nuvett.services.threads.thread_colours import SeriesSeen, Strip, strips
from nuvett.services.threads.threads import Thread
from nuvett.store import models
from tests.conftest import drain
from tests.services.books import draft, set_draft

BOWL = {"AT-0101": (0.53, 0.74), "AT-0107": (0.45, 0.6)}
PINK = {"AT-0107": (0.88, 0.72), "AT-0108": (0.76, 0.8)}
WALL = (0.2, 0.2)


@contextmanager
def opened(studio: Studio, slug: str) -> Iterator[tuple[Session, models.SeriesRow]]:
    with studio.database.session() as session:
        yield session, catalogue.find_series(session, slug)


def point(
    studio: Studio, slug: str, name: str, place: tuple[float, float], thread: uuid.UUID | None = None
) -> uuid.UUID:
    """Point at a place of a frame, as a part of a thread or of a new one."""
    with opened(studio, slug) as (session, series):
        frame = next(f for f in catalogue.ready_frames(session, series.id) if f.name == name)
        facts = next(one for one in series_facts(session, series) if one.id == frame.id)
        grown = grow(studio.bench, facts, (Pointed(*place),))
        made = thread or threads.start_thread(session, series, called(grown)).id
        threads.keep_place(session, studio, series, (made, frame.id), grown)
    return made


def bowl(studio: Studio, slug: str) -> uuid.UUID:
    made = None
    for name, place in BOWL.items():
        made = point(studio, slug, name, place, made)
    assert made is not None
    return made


def every(studio: Studio, slug: str) -> list[Thread]:
    with opened(studio, slug) as (session, series):
        return threads.threads_of(session, series.id)


def kept(studio: Studio, slug: str) -> list[Thread]:
    """Threads that a person began."""
    return [thread for thread in every(studio, slug) if thread.kind != "complexion"]


def strip(studio: Studio, slug: str, show: Show = Show.LOOK) -> Strip:
    with opened(studio, slug) as (session, series):
        facts, hero = series_facts(session, series), series.hero_id
    found = kept(studio, slug)
    aims = [draft(studio, slug)] * len(facts)
    return strips(studio.bench, SeriesSeen(facts, aims, show, hero), found)[0]


def walk(studio: Studio, slug: str, forward: bool) -> str:
    with opened(studio, slug) as (session, series):
        return threads.walk_threads(session, studio, series, forward)


def test_a_thing_is_pointed_at_frame_by_frame_and_each_step_is_undone_and_done_again(studio: Studio, slug: str) -> None:
    made = bowl(studio, slug)
    (thread,) = kept(studio, slug)
    assert thread.id == made and thread.name.startswith("teal") and len(thread.places) == 2
    with opened(studio, slug) as (session, series):
        threads.change_thread(session, series, made, name="  the blue  bowl ")
        threads.change_thread(session, series, made, goal=Goal(kind="frames"))
        threads.keep_place(session, studio, series, (made, next(iter(thread.places))), None)
        threads.drop_thread(session, studio, series, made)
    assert kept(studio, slug) == []
    assert walk(studio, slug, False) == "the blue bowl: no longer followed"
    (back,) = kept(studio, slug)
    assert (back.name, back.goal.kind, len(back.places)) == ("the blue bowl", "frames", 1)
    said = [walk(studio, slug, False) for _ in range(3)]
    assert said[0].startswith("the blue bowl: not in AT-") and said[1].endswith("another goal")
    (again,) = kept(studio, slug)
    assert again.places.keys() == thread.places.keys() and again.name == thread.name and again.goal == thread.goal
    assert {f: p.key for f, p in again.places.items()} == {f: p.key for f, p in thread.places.items()}
    for _ in range(3):
        walk(studio, slug, False)
    assert kept(studio, slug) == []
    with pytest.raises(InvalidChangeError, match="nothing to undo"):
        walk(studio, slug, False)
    for _ in range(3):
        walk(studio, slug, True)
    assert [p.key for p in kept(studio, slug)[0].places.values()] == [p.key for p in thread.places.values()]


def test_a_thread_is_measured_as_it_came_and_as_shown_against_what_it_should_be(studio: Studio, slug: str) -> None:
    made = bowl(studio, slug)
    set_draft(studio, slug, Look())
    with opened(studio, slug) as (session, series):
        series.hero_id = next(f.id for f in catalogue.ready_frames(session, series.id) if f.name == "AT-0101")
    first = strip(studio, slug)
    on_hero, other = first.beads
    assert on_hero.off == 0 and other.off == pytest.approx(2 * (first.apart or 0)) and other.off > 3
    assert other in first.standing_out and other.words.startswith(f"{other.off:.1f} ")
    came = strip(studio, slug, Show.ORIGINAL)
    assert came.apart == pytest.approx(came.was) == pytest.approx(first.was)
    lighter, half = 1.0, 0.5
    found = []
    for exposure in (half, lighter):
        with opened(studio, slug) as (session, series):
            frame = catalogue.find_frame(session, series, other.frame.id)
            keep_trim(session, frame, Trim.of(ExposureStep(exposure=exposure)), "")
        bead = strip(studio, slug).beads[1]
        assert bead.shown is not None and other.shown is not None
        found.append(float(bead.shown[0] - other.shown[0]))
    assert 0.02 < found[0] < found[1], "a trim is seen in its frame"
    with opened(studio, slug) as (session, series):
        threads.change_thread(session, series, made, goal=Goal(kind="given", colour=(0.5, -0.05, -0.05)))
    given = strip(studio, slug)
    assert all(bead.off and bead.goal is not None for bead in given.beads)
    assert given.was is not None and given.apart is not None


def test_another_place_replaces_the_one_before_and_a_larger_outline_is_larger(studio: Studio, slug: str) -> None:
    made = bowl(studio, slug)
    with opened(studio, slug) as (session, series):
        facts = series_facts(session, series)[0]
    sizes = [grow(studio.bench, facts, (Pointed(*BOWL["AT-0101"]),), choice) for choice in (-60, -1, 0, 1, 60)]
    areas = [grown.outline.mask((300, 200)).sum() for grown in sizes]
    assert areas == sorted(areas) and len(set(areas)) >= 4 and sizes[0].choice > -60, "there are only so many"
    before = kept(studio, slug)[0].places[facts.id]
    point(studio, slug, "AT-0101", WALL, made)
    after = kept(studio, slug)[0].places[facts.id]
    assert after.key != before.key and len(kept(studio, slug)[0].places) == 2


def test_a_brush_puts_an_outline_right_and_stays_when_another_outline_is_chosen(studio: Studio, slug: str) -> None:
    with opened(studio, slug) as (session, series):
        facts = series_facts(session, series)[0]
    pointed, away = (Pointed(*BOWL["AT-0101"]),), ((0.1, 0.9), (0.2, 0.9))
    plain, strokes = grow(studio.bench, facts, pointed), (Brushed(away, 0.02),)
    right = grow(studio.bench, facts, pointed, None, strokes)
    larger = grow(studio.bench, facts, pointed, plain.choice + 3, strokes)
    for grown in (right, larger):
        mask = grown.outline.mask((300, 200))
        assert mask[180, 45] and grown.strokes == strokes and not plain.outline.mask((300, 200))[180, 45]
    assert larger.outline.mask((300, 200)).sum() > right.outline.mask((300, 200)).sum()
    assert not np.array_equal(right.colours.places, plain.colours.places), "and it is measured there, too"
    made = point(studio, slug, "AT-0101", BOWL["AT-0101"])
    with opened(studio, slug) as (session, series):
        threads.keep_place(session, studio, series, (made, facts.id), right)
    assert kept(studio, slug)[0].places[facts.id].grown.strokes == strokes
    walk(studio, slug, False)
    assert kept(studio, slug)[0].places[facts.id].grown.strokes == ()
    with pytest.raises(InvalidChangeError, match="leaves nothing"):
        grow(studio.bench, facts, pointed, None, (Brushed(((0.0, 0.5), (1.0, 0.5)), 0.25, inside=False),) * 2)
    for values in (
        [{"points": [], "radius": 0.1}],
        [{"points": [[9, 9]], "radius": 0.1}],
        [{"radius": 0.1}],
        [{"points": [[0.5, 0.5]], "radius": 0}],
        [{"points": [[0.5, 0.5]], "radius": 0.1}] * 61,
    ):
        with pytest.raises(InvalidChangeError):
            threads.parse_strokes(values)


def test_what_cannot_be_followed_is_refused_and_nothing_is_lost(studio: Studio, slug: str) -> None:
    made = bowl(studio, slug)
    with opened(studio, slug) as (session, series):
        facts = series_facts(session, series)[0]
        other = catalogue.start_series(session, "Other")
        for name in ("", " ", "x" * 61):
            with pytest.raises(InvalidChangeError):
                threads.start_thread(session, series, name)
        with pytest.raises(NotFoundError):
            threads.change_thread(session, other, made, name="x")
        with pytest.raises(NotFoundError):
            threads.keep_place(session, studio, series, (made, uuid.uuid4()), None)
        threads.keep_place(session, studio, series, (made, series_facts(session, series)[1].id), None)
    for values in ([{"x": 2, "y": 0}], [{"x": "left"}], [{"x": 0.5, "y": 0.5}] * 25, "here"):
        with pytest.raises(InvalidChangeError):
            threads.parse_pointed(values)
    with pytest.raises(InvalidChangeError, match="at the thing itself"):
        grow(studio.bench, facts, (Pointed(0.5, 0.5, inside=False),))
    assert len(kept(studio, slug)) == 1
    with opened(studio, slug) as (session, series):
        for _ in range(threads.MAX_THREADS - len(every(studio, slug))):
            threads.start_thread(session, series, "x")
        with pytest.raises(InvalidChangeError, match="at most"):
            threads.start_thread(session, series, "one more")


def test_a_frame_that_goes_takes_its_places_along_and_a_copy_has_its_own(studio: Studio, slug: str) -> None:
    bowl(studio, slug)
    with opened(studio, slug) as (session, _):
        twin = filing.duplicate_series(session, slug).slug
    (own,), (copied,) = kept(studio, slug), kept(studio, twin)
    assert own.id != copied.id and own.name == copied.name and not own.places.keys() & copied.places.keys()
    assert [p.key for p in own.places.values()] == [p.key for p in copied.places.values()]
    with opened(studio, slug) as (session, series):
        catalogue.find_frame(session, series, next(iter(own.places))).state = "removed"
    assert len(kept(studio, slug)[0].places) == 1 and len(kept(studio, twin)[0].places) == 2
    with opened(studio, slug) as (session, series):
        threads.drop_thread(session, studio, series, own.id)
        assert not session.scalars(select(models.ThreadPlaceRow).where(models.ThreadPlaceRow.thread_id == own.id)).all()
    assert len(kept(studio, twin)[0].places) == 2


def test_light_is_evened_by_what_was_pointed_at_and_back_again_when_that_is_undone(studio: Studio, slug: str) -> None:
    def lights() -> dict[str, tuple[float, ...]]:
        with opened(studio, slug) as (session, series):
            return {one.name: tuple((one.even or {})["gains"]) for one in catalogue.ready_frames(session, series.id)}

    with opened(studio, slug) as (session, series):
        series.hero_id = next(f.id for f in catalogue.ready_frames(session, series.id) if f.name == "AT-0107")
        lighting.let_light_be_evened(session, studio, series.id)
    drain(studio)
    before = lights()
    made = point(studio, slug, "AT-0107", PINK["AT-0107"])
    drain(studio)
    assert lights() == before, "a thing seen in one frame says nothing of others"
    point(studio, slug, "AT-0108", PINK["AT-0108"], made)
    drain(studio)
    after = lights()
    changed = {name for name in before if before[name] != after[name]}
    assert changed == {"AT-0108"}, "the hero stays, and other set-ups"
    walk(studio, slug, False)
    drain(studio)
    assert lights() == before


@pytest.mark.parametrize("kind", ["hero", "frames", "given"])
def test_a_thread_is_held_in_the_frames_that_show_it_and_let_go_again(studio: Studio, slug: str, kind: str) -> None:
    made = bowl(studio, slug)
    set_draft(studio, slug, Look())
    drain(studio)
    with opened(studio, slug) as (session, series):
        series.hero_id = next(f.id for f in catalogue.ready_frames(session, series.id) if f.name == "AT-0101")
        given = {"colour": (0.5, -0.06, -0.04)} if kind == "given" else {}
        goal = Goal.model_validate({"kind": kind} | given)
        threads.change_thread(session, series, made, goal=goal)

    def plans() -> dict[str, str]:
        with opened(studio, slug) as (session, series):
            facts = series_facts(session, series)
            names = {f.id: f.name for f in catalogue.ready_frames(session, series.id)}
        aimed = draft(studio, slug)
        return {names[f.id]: studio.bench.planner.plan(facts, i, aimed).key for i, f in enumerate(facts)}

    free, before = strip(studio, slug), plans()
    with opened(studio, slug) as (session, series):
        threads.hold_thread(session, series, made, 1.0)
    held, after = strip(studio, slug), plans()
    changed = {name for name in before if before[name] != after[name]}
    assert changed == {"AT-0101", "AT-0107"} - ({"AT-0101"} if kind == "hero" else set())
    assert held.apart is not None and free.apart is not None and held.apart < 0.75 * free.apart
    assert held.beads[1].off is not None and held.beads[1].off > 0.4, "no nearer than is asked for"
    assert held.was == pytest.approx(free.was), "as it came is as it came"
    with opened(studio, slug) as (session, series):
        threads.hold_thread(session, series, made, 100.0)
    assert plans() == before, "within its limit nothing is done"
    assert walk(studio, slug, False).endswith(": held within 100") and plans() == after
    assert "held within 1" in walk(studio, slug, False) and plans() == before


def test_what_is_held_is_carried_trimmed_and_beside_what_a_person_did(studio: Studio, slug: str) -> None:
    made = bowl(studio, slug)
    set_draft(studio, slug, Look())
    drain(studio)
    with opened(studio, slug) as (session, series):
        threads.change_thread(session, series, made, goal=Goal(kind="given", colour=(0.5, -0.06, -0.04)))
        threads.hold_thread(session, series, made, 0.8)
        carrying.carry(session, series)
        facts, followed = series_facts(session, series), carrying.versions_followed(session, series)
        place = next(i for i, f in enumerate(facts) if f.id in kept_frames(session, series))
        frame = catalogue.find_frame(session, series, facts[place].id)
    finished = studio.bench.planner.finished(facts, place, followed[frame.id].aimed)
    assert finished == studio.bench.planner.plan(facts, place, draft(studio, slug))
    assert [layer.name for layer in finished.layers] == ["held"], "a colour as given goes to its outline alone"
    lighter = facts.with_trim(place, Trim.of(ExposureStep(exposure=0.5)))
    plan = studio.bench.planner.plan(lighter, place, draft(studio, slug))
    assert plan.group("trim").operations and plan.layers[-1].name == "held", "the trim stays, and it comes after that"
    with opened(studio, slug) as (session, series):
        threads.change_thread(session, series, made, goal=Goal(kind="frames"))
        middle = studio.bench.planner.plan(series_facts(session, series), place, draft(studio, slug))
    assert not middle.layers and middle.group("trim").operations, "and what is brought together moves as a colour"


def kept_frames(session: Session, series: models.SeriesRow) -> set[uuid.UUID]:
    return {frame for thread in threads.threads_of(session, series.id) for frame in thread.places}
