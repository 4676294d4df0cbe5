"""Walls: worked out once for every process, page by page, and never older than what they show."""

import uuid
from collections.abc import Callable, Collection
from dataclasses import dataclass, replace
from datetime import UTC, datetime, timedelta

import numpy as np
import pytest
from sqlalchemy import delete, func, select, text, update

from nuvett.core.area.outline import Ring
from nuvett.core.look.look import Look
from nuvett.core.measure.sampling import Sample
from nuvett.core.planning.series import Measured, Pools
from nuvett.core.steps.even import EvenStep
from nuvett.core.steps.tone import ToneStep
from nuvett.core.thread.colours import Goal
from nuvett.core.types import Linear
from nuvett.imaging.opened import Limits
from nuvett.services.caching.lasting import KEPT_DAYS
from nuvett.services.engine.facts import Aimed, Facts, HeldPlace, HeldThread
from nuvett.services.engine.wall import Show, ShownFrame, WallRequest, build_wall
from nuvett.services.engine.workbench import Workbench
from nuvett.services.looks import wall_jobs
from nuvett.services.platform.studio import Studio
from nuvett.services.series.catalogue import find_series
from nuvett.services.series.frame_facts import series_facts
from nuvett.store import models
from nuvett.store.blobs import BlobStore
from nuvett.store.database import Database


def measured_rows(studio: Studio) -> int:
    with studio.database.session() as session:
        return session.scalar(select(func.count()).select_from(models.MeasuredRow)) or 0


def test_what_one_process_worked_out_another_one_shows_without_working(
    bench: Workbench, store: BlobStore, studio: Studio, frames: Facts, aimed: Aimed, monkeypatch: pytest.MonkeyPatch
) -> None:
    first = build_wall(bench, frames, aimed, Show.LOOK)
    other = Workbench(store, studio.database, Limits(), 64)
    monkeypatch.setattr(WallRequest, "work_out", lambda self, indices: pytest.fail("it is known") if indices else {})
    again = build_wall(other, frames, aimed, Show.LOOK)
    assert [i.shown.model_dump_json() for i in again.items] == [i.shown.model_dump_json() for i in first.items]
    assert (again.drift, again.spread, again.missing) == (first.drift, first.spread, 0)
    plan = other.plans.find(again.items[1].shown.plan)
    assert plan is not None and plan.key == bench.planner.plan(frames, 1, aimed).key


def test_what_can_be_worked_out_anew_waits_for_no_disk_and_all_else_does(studio: Studio) -> None:
    address = studio.settings.database
    own = Database(f"{address}{'&' if '?' in address else '?'}options=-csynchronous_commit%3Don")
    for lasting, told in ((False, "off"), (True, "on")):
        with own.session(lasting) as session:
            assert session.scalar(text("SHOW synchronous_commit")) == told
    own.close()


def test_a_page_is_worked_out_and_the_rest_is_said_to_be_missing(
    bench: Workbench, frames: Facts, aimed: Aimed, monkeypatch: pytest.MonkeyPatch
) -> None:
    wall = build_wall(bench, frames, aimed, Show.LOOK, {1})
    assert [item.shown is None for item in wall.items] == [True, False, True, True] and wall.missing == 3
    assert wall.drift == (wall.items[1].original.drift.value, wall.items[1].drift)
    monkeypatch.setattr("nuvett.services.engine.wall.outliers", lambda drifts: [True] * len(drifts))
    assert not any(item.outlier for item in build_wall(bench, frames, aimed, Show.LOOK, {1, 2}).items)
    whole = build_wall(bench, frames, aimed, Show.LOOK)
    assert all(item.outlier for item in whole.items)
    assert whole.missing == 0 and whole.items[1].shown == wall.items[1].shown and whole.drift != wall.drift


def test_right_after_a_change_no_more_than_a_page_is_asked_for_and_what_is_known_of_others_is_seen(
    bench: Workbench, frames: Facts, aimed: Aimed, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("nuvett.services.engine.wall._PROBED", 1)
    find, asked = bench.lasting.find, set[str]()

    def counted(kind: type[ShownFrame], keys: Collection[str]) -> dict[str, ShownFrame]:
        asked.update(keys if kind is ShownFrame else ())
        return find(kind, keys)

    monkeypatch.setattr(bench.lasting, "find", counted)
    wall = build_wall(bench, frames, aimed, Show.LOOK, {1})
    assert [item.shown is None for item in wall.items] == [True, False, True, True]
    assert len(asked) == 3, "the frame as it came and as it is shown, and one other"
    build_wall(bench, frames, aimed, Show.LOOK, {0})
    both = build_wall(bench, frames, aimed, Show.LOOK, {1})
    assert [item.shown is None for item in both.items] == [False, False, True, True]
    assert both.items[1] == replace(wall.items[1], outlier=both.items[1].outlier)


def holding(frames: Facts) -> Facts:
    colours = Sample(Linear(np.full((40, 3), 0.2, np.float32)), np.full((40, 2), 0.5, np.float32))
    ring: Ring = ((0.4, 0.4), (0.6, 0.4), (0.5, 0.7))
    place = HeldPlace("k", colours, (ring,))
    return frames.holding([HeldThread("jug", Goal(kind="frames"), 1.3, {f.id: place for f in frames}, None)])


OTHERWISE: dict[str, Callable[[Facts, Aimed], tuple[Facts, Aimed]]] = {
    "look": lambda f, a: (f, a.with_look(a.look.with_step(ToneStep(amount=40)))),
    "target": lambda f, a: (f, replace(a, target_key="other")),
    "trim": lambda f, a: (f.with_trim(0, f[0].trim.model_copy(update={"strength": 50})), a),
    "light": lambda f, a: (f.like([replace(f[0], even=f[0].even.model_copy(update={"gains": (1, 1, 2)})), *f[1:]]), a),
    "light of another": lambda f, a: (
        f.like([*f[:3], replace(f[3], even=f[3].even.model_copy(update={"gains": (1, 1, 2)}))]),
        a,
    ),
    "set-up": lambda f, a: (f.like([replace(f[0], setup=uuid.uuid4()), *f[1:]]), a),
    "thing held": lambda f, a: (holding(f), a),
    "subject": lambda f, a: (f.like([replace(f[0], subject="found"), *f[1:]]), a),
    "carried": lambda f, a: (f.like([replace(f[0], kept={VERSION: "k"}), *f[1:]]), replace(a, version=VERSION)),
}
VERSION = uuid.uuid4()


@pytest.mark.parametrize("change", OTHERWISE.values(), ids=OTHERWISE)
def test_a_frame_whose_plan_may_differ_is_worked_out_anew(
    bench: Workbench, frames: Facts, aimed: Aimed, change: Callable[[Facts, Aimed], tuple[Facts, Aimed]]
) -> None:
    before = WallRequest.of(bench, frames, aimed, Show.LOOK).names[1]
    other, changed = change(frames, aimed)
    assert WallRequest.of(bench, other, changed, Show.LOOK).names[1][0] != before[0]
    assert WallRequest.of(bench, Facts(frames), replace(aimed), Show.LOOK).names[1] == before


def test_evened_frames_are_worked_out_anew_by_how_strongly_they_are_evened(
    bench: Workbench, frames: Facts, aimed: Aimed
) -> None:
    half = aimed.with_look(Look.of(EvenStep(amount=50)))
    assert (
        WallRequest.of(bench, frames, aimed, Show.EVENED).names[1]
        != WallRequest.of(bench, frames, half, Show.EVENED).names[1]
    )
    assert (
        WallRequest.of(bench, frames, aimed, Show.EVENED).names[0]
        == WallRequest.of(bench, frames, half, Show.EVENED).names[0]
    )


def test_pools_are_those_of_the_frames_and_only_a_changed_set_up_is_measured_anew(
    bench: Workbench, store: BlobStore, studio: Studio, frames: Facts
) -> None:
    look = Look()
    found = bench.planner.pools(frames, look)
    straight = Pools.of([Measured(bench.sources.sample(f), f.even, n // 2) for n, f in enumerate(frames)], look)
    for ours, theirs in ((found.series, straight.series), (found.setups[1], straight.setups[1])):
        assert np.allclose(ours.lightness, theirs.lightness, atol=1e-6)
    assert np.allclose(found.own(2).lightness, straight.own(2).lightness, atol=1e-6)
    assert not np.allclose(found.pulled(0, 0.5).lightness, found.pulled(0, 0).lightness)
    rows = measured_rows(studio)
    brighter = replace(frames[3], even=frames[3].even.model_copy(update={"gains": (4, 4, 4)}))
    changed = Workbench(store, studio.database, Limits(), 64).planner.pools(frames.like([*frames[:3], brighter]), look)
    assert measured_rows(studio) == rows + 2, "its set-up's and the series'"
    assert np.array_equal(changed.setups[0].lightness, found.setups[0].lightness)
    assert changed.setups[1].lightness[32] > found.setups[1].lightness[32]


def test_what_nobody_asks_for_any_more_is_forgotten(bench: Workbench, studio: Studio, frames: Facts) -> None:
    build_wall(bench, frames, None, Show.ORIGINAL)
    rows = measured_rows(studio)
    bench.lasting.forget_old()
    assert measured_rows(studio) == rows > 0
    with studio.database.session() as session:
        long_ago = datetime.now(UTC) - timedelta(days=KEPT_DAYS + 1)
        one = session.scalars(select(models.MeasuredRow.key)).first()
        session.execute(update(models.MeasuredRow).where(models.MeasuredRow.key == one).values(seen=long_ago))
    bench.lasting.forget_old()
    assert measured_rows(studio) == rows - 1


@dataclass(frozen=True)
class Looked:
    """A series whose wall is looked at, in a process that knows nothing yet."""

    studio: Studio
    series: uuid.UUID
    slug: str

    def missing(self, key: str) -> int:
        """How many frames of a state are not worked out."""
        with self.studio.database.session() as session:
            told = wall_jobs.filling_of(self.studio, session, self.slug, key)
        return told.frames - told.known


def forget_what_was_prepared(studio: Studio) -> None:
    """Forget what was worked out when the light was evened."""
    with studio.database.session() as session:
        session.execute(delete(models.MeasuredRow))
        session.execute(update(models.SeriesRow).values(wall_asked=""))


@pytest.fixture
def looked(studio: Studio, slug: str, monkeypatch: pytest.MonkeyPatch) -> Looked:
    monkeypatch.setattr(wall_jobs, "_AT_ONCE", 1)
    fresh = replace(studio, bench=Workbench(studio.blobs, studio.database, Limits(), 64))
    forget_what_was_prepared(studio)
    with studio.database.session() as session:
        series = find_series(session, slug)
        series.wall_asked = "draft"
        return Looked(fresh, series.id, slug)


def test_a_wall_is_filled_in_the_background(looked: Looked) -> None:
    assert looked.missing("draft") > 1
    wall_jobs.fill_wall(looked.studio, looked.series)
    assert looked.missing("draft") == 0


def test_a_newer_state_takes_the_place_of_one_that_nobody_looks_at_any_more(
    looked: Looked, monkeypatch: pytest.MonkeyPatch
) -> None:
    work, every = WallRequest.work_out, looked.missing("draft")

    def once(self: WallRequest, indices: list[int]) -> None:
        work(self, indices)
        with looked.studio.database.session() as session:
            session.get_one(models.SeriesRow, looked.series).wall_asked = "evened"

    monkeypatch.setattr(WallRequest, "work_out", once)
    wall_jobs.fill_wall(looked.studio, looked.series)
    assert (looked.missing("evened"), looked.missing("draft")) == (0, every - 1)


def test_a_wall_that_is_looked_at_is_filled_once_frames_are_missing(studio: Studio, slug: str) -> None:
    with studio.database.session() as session:
        series = find_series(session, slug)
        facts = series_facts(session, series)
    forget_what_was_prepared(studio)
    bench = Workbench(studio.blobs, studio.database, Limits(), 64)
    part, whole = (build_wall(bench, facts, None, Show.ORIGINAL, now) for now in (set(), None))
    for wall, jobs in ((whole, 0), (part, 1), (part, 1)):
        with studio.database.session() as session:
            wall_jobs.queue_fill(session, studio, series.id, [("draft", wall), ("", None)])
        with studio.database.session() as session:
            assert session.scalar(text("SELECT count(*) FROM procrastinate_jobs WHERE task_name = 'fill_wall'")) == jobs
            assert session.get_one(models.SeriesRow, series.id).wall_asked == ("draft" if jobs else "")


def test_what_a_person_sees_first_is_worked_out_once_the_light_is_evened(studio: Studio, slug: str) -> None:
    def prepared(light_due: bool, asked: str) -> tuple[str, int]:
        with studio.database.session() as session:
            series = find_series(session, slug)
            series.light_due, series.wall_asked = light_due, asked
            session.flush()
            wall_jobs.prepare_wall(session, studio, series.id)
        with studio.database.session() as session:
            jobs = session.scalar(text("SELECT count(*) FROM procrastinate_jobs WHERE task_name = 'fill_wall'")) or 0
            return find_series(session, slug).wall_asked, jobs

    assert prepared(light_due=True, asked="") == ("", 0)
    assert prepared(light_due=False, asked="evened") == ("evened draft", 1)


def test_a_wall_that_is_left_is_worked_out_no_further_but_for_what_is_seen_first(studio: Studio, slug: str) -> None:
    def asked_after(stopped: bool, before: str) -> str:
        with studio.database.session() as session:
            series = find_series(session, slug)
            series.wall_asked = before
            wall_jobs.leave_wall(session, series, stopped)
            return series.wall_asked

    assert asked_after(False, "evened draft") == "draft" and asked_after(False, "evened") == ""
    assert asked_after(True, "evened draft") == "" and asked_after(True, "") == ""
