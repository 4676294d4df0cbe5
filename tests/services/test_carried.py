"""A carried frame stays as it is until it is carried again, whatever joins, is evened anew, or is newer."""

import uuid
from collections.abc import Iterator
from dataclasses import replace
from datetime import UTC, datetime

import pytest
from sqlalchemy import delete, select, update

from nuvett.core.computation import COMPUTATION
from nuvett.core.errors import InvalidChangeError
from nuvett.core.even.even_light import EvenLight
from nuvett.core.look.look import Look
from nuvett.core.look.trim import Trim
from nuvett.core.steps.exposure import ExposureStep
from nuvett.services.looks import carried_plans, carrying, looks, trims, wall_states
from nuvett.services.platform.studio import Studio
from nuvett.services.series import catalogue, gathering
from nuvett.services.series.frame_facts import series_facts
from nuvett.store import models
from tests.conftest import DEMO, drain
from tests.services.books import carry_now


@pytest.fixture
def carried(studio: Studio, slug: str) -> str:
    """A series whose frames follow v1, with what that did to them kept."""
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        carrying.carry(session, series)
        carried_plans.queue_all_due(session, studio)
    drain(studio)
    return slug


def drawn(studio: Studio, slug: str, state: str = wall_states.CARRIED) -> dict[str, str]:
    """Keys of the plans that frames are drawn by, by the files that they are of."""
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        facts = series_facts(session, series)
        shown = wall_states.state_of(session, series, facts, state)
    return {
        frame.original: studio.bench.planner.plan(facts, index, aimed).key
        for index, (frame, aimed) in enumerate(zip(facts, shown.aims, strict=True))
        if aimed
    }


def stale(studio: Studio, slug: str) -> int:
    with studio.database.session() as session:
        return carry_now(session, catalogue.find_series(session, slug)).stale


def brighten(studio: Studio, slug: str, index: int) -> None:
    """Even the light of a frame anew, as another hero would."""
    with studio.database.session() as session:
        frame = catalogue.ready_frames(session, catalogue.find_series(session, slug).id)[index]
        frame.even = EvenLight(gains=(1.5, 1.5, 1.5)).model_dump(mode="json")


def test_frames_stay_as_they_were_carried_while_others_join_and_light_changes(studio: Studio, carried: str) -> None:
    before = drawn(studio, carried)
    assert len(before) == 5 and before == drawn(studio, carried, wall_states.RENEWED), "keeping changes nothing"
    with studio.database.session() as session:
        series = catalogue.find_series(session, carried)
        gathering.add_file(session, studio, series, DEMO / "frames" / "AT-0115.jpg")
    drain(studio)
    brighten(studio, carried, 1)
    assert {key: plan for key, plan in drawn(studio, carried).items() if key in before} == before
    anew = drawn(studio, carried, wall_states.RENEWED)
    assert all(anew[key] != plan for key, plan in before.items()), "pools and light have changed"
    assert stale(studio, carried) == 1, "the one whose own light changed"


def test_carrying_again_takes_what_changed_as_a_new_version_and_undo_brings_the_old_back(
    studio: Studio, carried: str
) -> None:
    before = drawn(studio, carried)
    with studio.database.session() as session:
        series = catalogue.find_series(session, carried)
        assert carrying.carry(session, series).number == 1, "nothing changed"
        with pytest.raises(InvalidChangeError, match="as they are"):
            carrying.renew(session, series)
    brighten(studio, carried, 1)
    with studio.database.session() as session:
        series = catalogue.find_series(session, carried)
        assert carry_now(session, series).next_number == 2
        assert carrying.renew(session, series) == 1
        carried_plans.queue_all_due(session, studio)
    drain(studio)
    after = drawn(studio, carried)
    assert sum(after[key] != plan for key, plan in before.items()) == 1 and stale(studio, carried) == 0
    with studio.database.session() as session:
        carrying.walk_carry(session, catalogue.find_series(session, carried), forward=False)
    assert drawn(studio, carried) == before


def test_a_newer_computation_changes_no_carried_frame_and_is_said(
    studio: Studio, carried: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    before = drawn(studio, carried)
    monkeypatch.setattr(carrying, "COMPUTATION", 99)
    assert drawn(studio, carried) == before and stale(studio, carried) == 5
    with studio.database.session() as session:
        assert carrying.carry(session, catalogue.find_series(session, carried)).number == 2
        versions = session.scalars(select(models.LookVersionRow).order_by(models.LookVersionRow.number)).all()
    assert {version.computation for version in versions} == {COMPUTATION}, "the column's own default was not raised"


def test_a_trim_acts_upon_what_was_kept(studio: Studio, carried: str) -> None:
    brighten(studio, carried, 0)
    before = drawn(studio, carried)
    with studio.database.session() as session:
        series = catalogue.find_series(session, carried)
        frame = catalogue.ready_frames(session, series.id)[0]
        trims.set_trim(session, series, frame, Trim().with_step(ExposureStep(exposure=1)), frame.trim_revision)
        facts = series_facts(session, series)
        followed = carrying.versions_followed(session, series)
    plan = studio.bench.planner.plan(facts, 0, followed[facts[0].id].aimed)
    assert plan.key != before[facts[0].original] and plan.without("trim").key == before[facts[0].original]


@pytest.fixture
def forgetful(studio: Studio) -> Iterator[Studio]:
    """One that does not remember which plans are kept already."""
    own = Studio.of(studio.settings)
    yield own
    own.database.close()


def test_nothing_is_kept_while_light_is_due_and_twice_is_as_good_as_once(
    studio: Studio, slug: str, forgetful: Studio
) -> None:
    def kept() -> int:
        with studio.database.session() as session:
            return len(session.scalars(select(models.CarriedPlanRow)).all())

    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        carrying.carry(session, series)
        key = series.id
        session.execute(delete(models.PlanRow))  # of walls that were worked out while the series came in
        session.execute(update(models.SeriesRow).values(light_due=True))
    carried_plans.keep_carried(studio, key)
    assert kept() == 0
    with studio.database.session() as session:
        session.execute(update(models.SeriesRow).values(light_due=False))
    for _ in range(2):
        carried_plans.keep_carried(forgetful, key)
        assert kept() == 5
    carried_plans.keep_carried(forgetful, uuid.uuid4())
    with studio.database.session() as session:
        session.execute(update(models.PlanRow).values(seen=datetime(2001, 1, 1, tzinfo=UTC)))
    assert forgetful.bench.plans.forget_old() == 0, "carried frames are drawn by them"
    with studio.database.session() as session:
        session.execute(delete(models.CarriedPlanRow))
    assert forgetful.bench.plans.forget_old() == 5


SETTLED = carrying.CarryState(
    next_number=2, changed=False, following=4, latest=1, behind=0, frames=5, versions=((1, 4),), stale=0, undo="",
    redo="", staying=1,
)  # fmt: skip


@pytest.mark.parametrize(
    "otherwise", [{"changed": True}, {"stale": 1}, {"behind": 1}, {"following": 3}, {"staying": 0}, {"frames": 0}]
)
def test_a_look_is_settled_where_carrying_it_would_change_nothing(otherwise: dict[str, int]) -> None:
    assert SETTLED.is_settled and not replace(SETTLED, **otherwise).is_settled


def test_walls_show_versions_the_draft_and_what_is_carried(studio: Studio, carried: str) -> None:
    first = drawn(studio, carried)
    with studio.database.session() as session:
        series = catalogue.find_series(session, carried)
        looks.change_look(session, series, Look(strength=30), catalogue.look_of(session, series).revision)
        frames = catalogue.ready_frames(session, series.id)
        state = carry_now(session, series)
        assert [c.key for c in wall_states.choices(state)] == ["original", "evened", "carried", "draft"]
        assert wall_states.usual_state(state) == "carried"
    assert drawn(studio, carried) == first == drawn(studio, carried, "v1") != drawn(studio, carried, "draft")
    with studio.database.session() as session:
        series = catalogue.find_series(session, carried)
        carrying.carry(session, series, [frames[0].id])
    mixed = drawn(studio, carried)
    assert [mixed[f.original] == first[f.original] for f in frames] == [False, True, True, True, True]
    with studio.database.session() as session:
        series = catalogue.find_series(session, carried)
        facts = series_facts(session, series)
        shown = wall_states.state_of(session, series, facts, "carried")
        assert [shown.words_on(i) for i in (0, 1)] == ["Carried, v2", "Carried, v1"]
        assert wall_states.state_of(session, series, facts, "draft").words_on(0) == "As it came"
        for gone in ("v3", "v0", "vx", "elsewhere", "v9999999999999"):
            with pytest.raises(InvalidChangeError):
                wall_states.state_of(session, series, facts, gone)
