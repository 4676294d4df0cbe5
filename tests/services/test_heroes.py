"""Finished frames as references: taken, renewed when they were worked on since, and left as they are by carrying."""

import uuid

import numpy as np
import pytest

from nuvett.core.errors import InvalidChangeError, NotFoundError
from nuvett.core.look.look import Look
from nuvett.core.look.trim import Trim
from nuvett.core.look.ways import OfSetup
from nuvett.core.measure.statistics import Statistics
from nuvett.core.reading.regions import Patch, Sampling
from nuvett.core.steps.exposure import ExposureStep
from nuvett.core.steps.saturation import SaturationStep
from nuvett.services.looks import carrying, heroes
from nuvett.services.looks.trims_of_many import keep_trim
from nuvett.services.platform.studio import Studio
from nuvett.services.references import kept_references, reading_history, targets
from nuvett.services.series import catalogue
from nuvett.services.series.gathering import remove_frame
from nuvett.services.shelf.filing import duplicate_series
from nuvett.store import models
from tests.conftest import drain
from tests.services.books import another, carry_now, draft, set_draft

LIGHTER = Look().with_step(ExposureStep(exposure=0.6))


@pytest.fixture
def bare(studio: Studio) -> str:
    """A series of three frames without any reference."""
    return another(studio, "Bare", frames=3, still="")


def frames(studio: Studio, slug: str) -> list[uuid.UUID]:
    with studio.database.session() as session:
        return [f.id for f in catalogue.shown_frames(session, catalogue.find_series(session, slug).id)]


def trim(studio: Studio, frame: uuid.UUID, own: Trim) -> None:
    with studio.database.session() as session:
        keep_trim(session, session.get_one(models.FrameRow, frame), own, "")


def take(studio: Studio, slug: str, frame: uuid.UUID) -> models.ReferenceRow:
    heroes.take_finished(studio, slug, frame)
    drain(studio)
    return newest(studio, slug)


def newest(studio: Studio, slug: str) -> models.ReferenceRow:
    with studio.database.session() as session:
        rows = kept_references.ready_references(session, catalogue.find_series(session, slug).id)
        return rows[-1]


def standing(studio: Studio, slug: str) -> heroes.HeroStanding:
    with studio.database.session() as session:
        (found,) = heroes.standings(session, catalogue.find_series(session, slug)).values()
        return found


def median(statistics: Statistics) -> float:
    return float(np.median(statistics.lightness))


def carry_unasked(studio: Studio, slug: str) -> int:
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        return carrying.carry(session, series, heroes.frames_to_carry(session, series)).number


def follow(studio: Studio, slug: str) -> list[int]:
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        rows = catalogue.shown_frames(session, series.id)
        return [carrying.number_followed(session, row) for row in rows]


def test_a_frame_is_read_as_it_is_finished_by_its_trim_alone_and_stays_so(studio: Studio, bare: str) -> None:
    hero, *_ = frames(studio, bare)
    with studio.database.session() as session:
        came = heroes.finish_of(session, hero)
    trim(studio, hero, Trim.of(ExposureStep(exposure=0.8)))
    row = take(studio, bare, hero)
    assert row.name == "AT-0101, finished" and row.frame_id == hero
    reading = kept_references.reading_of(row)
    plain = studio.bench.sources.statistics(came.frame)
    assert median(reading.statistics) > median(plain) + 0.05
    finished = studio.bench.measures.summary(came.frame, studio.bench.planner.trim_only(came.frame), None)
    assert median(reading.statistics) != pytest.approx(float(np.median(finished.tone)), abs=0.02)  # without its trim
    with studio.database.session() as session:
        now = heroes.finish_of(session, hero)
    made = studio.bench.measures.summary(now.frame, now.plan(studio.bench), None)
    assert median(reading.statistics) == pytest.approx(float(np.median(made.tone)), abs=0.005)
    assert carry_unasked(studio, bare) == 1 and follow(studio, bare) == [0, 1, 1]
    with studio.database.session() as session:
        assert carry_now(session, catalogue.find_series(session, bare)).is_settled


def test_a_frame_that_is_finished_by_the_draft_follows_it_from_then_on(studio: Studio, bare: str) -> None:
    hero, *_ = frames(studio, bare)
    set_draft(studio, bare, LIGHTER)
    take(studio, bare, hero)
    assert follow(studio, bare) == [1, 0, 0] and draft(studio, bare).target is None  # what was made by hand stays
    assert not standing(studio, bare).outdated
    set_draft(studio, bare, LIGHTER.with_step(SaturationStep(saturation=-40)))
    assert not standing(studio, bare).outdated  # the hero follows what it was finished by
    carry_unasked(studio, bare)
    assert follow(studio, bare) == [2, 2, 2]  # nothing aims at the hero, so it goes along


def test_work_on_the_hero_is_noticed_and_renewed_in_one_step_that_undo_takes_back(studio: Studio, bare: str) -> None:
    hero, *_ = frames(studio, bare)
    trim(studio, hero, Trim.of(ExposureStep(exposure=0.5)))
    first = take(studio, bare, hero)
    with studio.database.session() as session:
        series = catalogue.find_series(session, bare)
        row = session.get_one(models.ReferenceRow, first.id)
        with reading_history.recorded(session, series, "Sampled"):
            part = Sampling(patches=(Patch.rectangle(0, 0, 0.5, 1),))
            kept_references.set_reading(row, kept_references.measure_sampling(studio, row.proxy or "", part))
            row.tone_weight = 40
    with pytest.raises(InvalidChangeError, match="finished now"):
        heroes.renew_finished(studio, bare, first.id)
    carry_unasked(studio, bare)
    trim(studio, hero, Trim.of(ExposureStep(exposure=1)))
    words = "worked on since it was read; 2 frames follow it and stay until carried again"
    assert standing(studio, bare).words == words
    before = draft(studio, bare).target_key
    heroes.renew_finished(studio, bare, first.id)
    drain(studio)
    second = newest(studio, bare)
    assert second.id != first.id and (second.tone_weight, second.sampling) == (40, row.sampling)
    lighter, plain = (median(kept_references.reading_of(one).statistics) for one in (second, row))
    assert lighter > plain + 0.02
    assert draft(studio, bare).target_key != before and not standing(studio, bare).outdated
    with studio.database.session() as session:
        assert carry_now(session, catalogue.find_series(session, bare)).changed
        series = catalogue.find_series(session, bare)
        reading_history.walk_references(session, studio, series, False)
    assert newest(studio, bare).id == first.id and standing(studio, bare).outdated
    with studio.database.session() as session:
        reading_history.walk_references(session, studio, catalogue.find_series(session, bare), True)
    assert newest(studio, bare).id == second.id


def test_a_hero_that_is_gone_leaves_its_reference_as_it_was_read(studio: Studio, bare: str) -> None:
    hero, *_ = frames(studio, bare)
    trim(studio, hero, Trim.of(ExposureStep(exposure=0.5)))
    row = take(studio, bare, hero)
    target = draft(studio, bare).target_key
    with studio.database.session() as session:
        remove_frame(session, studio, catalogue.find_series(session, bare), session.get_one(models.FrameRow, hero))
    assert "taken out" in standing(studio, bare).words
    with pytest.raises(InvalidChangeError, match="taken out"):
        heroes.renew_finished(studio, bare, row.id)
    assert draft(studio, bare).target_key == target and carry_unasked(studio, bare) == 1
    assert follow(studio, bare) == [1, 1]


def test_a_frame_of_another_series_is_a_hero_and_a_chain_of_heroes_does_not_run_on(studio: Studio, bare: str) -> None:
    hero, *_ = frames(studio, bare)
    trim(studio, hero, Trim.of(SaturationStep(saturation=-100)))
    other = another(studio, "Other", frames=2, still="")
    take(studio, other, hero)
    assert draft(studio, other).look.mono.on  # black-and-white among frames in colour: toned like it, and said
    assert carry_unasked(studio, other) == 1 and follow(studio, other) == [1, 1]
    second = frames(studio, other)[0]
    take(studio, bare, second)
    before = draft(studio, other).target_key
    assert carry_unasked(studio, bare) == 1 and follow(studio, bare) == [1, 1, 1]
    assert standing(studio, other).outdated and not standing(studio, bare).outdated  # a circle: said, and left there
    assert draft(studio, other).target_key == before and follow(studio, other) == [1, 1]
    with pytest.raises(NotFoundError):
        heroes.renew_finished(studio, bare, newest(studio, other).id)


def test_a_duplicated_series_has_heroes_and_set_ups_of_its_own(studio: Studio, bare: str) -> None:
    hero, *_ = frames(studio, bare)
    trim(studio, hero, Trim.of(ExposureStep(exposure=0.5)))
    take(studio, bare, hero)
    with studio.database.session() as session:
        setup = str(catalogue.find_series(session, bare).setups[0].id)
    set_draft(studio, bare, LIGHTER.with_setup(OfSetup(setup=setup, way="steps")))
    carry_unasked(studio, bare)
    with studio.database.session() as session:
        twin = duplicate_series(session, bare).slug
    assert newest(studio, twin).frame_id == frames(studio, twin)[0] != hero
    assert not standing(studio, twin).problem
    with studio.database.session() as session:
        series = catalogue.find_series(session, twin)
        (own,) = draft(studio, twin).look.setups
        assert own.setup == str(series.setups[0].id) != setup and own.way == "steps"
        stay = targets.frames_read(targets.latest_target(session, series.id))
        assert stay == {frames(studio, twin)[0]}
        assert carry_now(session, series).is_settled
    with studio.database.session() as session:
        assert draft(studio, bare).look.setups[0].setup == setup, "the first one keeps its own"
