"""A look by set-up: chosen, proposed, carried, undone; and what each set-up aims at."""

import uuid

import pytest

from nuvett.core.book.kept import Use
from nuvett.core.errors import ConflictError, InvalidChangeError, NotFoundError
from nuvett.core.look.look import Look
from nuvett.core.look.ways import OfSetup
from nuvett.core.steps.exposure import ExposureStep
from nuvett.core.steps.white import WhiteStep
from nuvett.services.engine.facts import Facts
from nuvett.services.engine.workbench import Workbench
from nuvett.services.lookbook import by_light, uses
from nuvett.services.looks import by_setup, carrying, heroes, looks, veils, wall_states
from nuvett.services.looks.by_setup import Arranged
from nuvett.services.platform.studio import Studio
from nuvett.services.references import new_references
from nuvett.services.series import catalogue
from nuvett.services.series.frame_facts import series_facts
from tests.conftest import DEMO, drain
from tests.services.books import draft, keep, set_draft, use, walk

BY_HAND = Look().with_step(WhiteStep(warmth=25)).with_step(ExposureStep(exposure=0.5))


def arranged(studio: Studio, slug: str) -> Arranged:
    with studio.database.session() as session:
        return by_setup.arranged(session, catalogue.find_series(session, slug))


def choose(studio: Studio, slug: str, place: int, **own: str) -> None:
    of = arranged(studio, slug)
    setup = of.setups[place].id
    with studio.database.session() as session:
        asked = OfSetup.model_validate({"setup": str(setup), **own})
        by_setup.choose(session, catalogue.find_series(session, slug), setup, asked, of.revision)


def read_second(studio: Studio, slug: str) -> None:
    name = "still_2_pale_pastel.jpg"
    with studio.database.session() as session, (DEMO / "stills" / name).open("rb") as stream:
        new_references.add_reference(session, studio, catalogue.find_series(session, slug), name, stream)
    drain(studio)


def keys(studio: Studio, slug: str) -> list[list[str]]:
    """Keys of plans under the draft, by set-up."""
    of = arranged(studio, slug)
    planner = studio.bench.planner
    return [[planner.plan(of.facts, place, of.aimed).key for place in setup.places] for setup in of.setups]


def test_a_set_up_arrives_in_a_way_of_its_own_and_the_others_do_not(studio: Studio, slug: str) -> None:
    set_draft(studio, slug, BY_HAND)
    before = keys(studio, slug)
    choose(studio, slug, 0, way="steps")
    after = keys(studio, slug)
    assert not set(after[0]) & set(before[0]) and after[1] == before[1]
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        carrying.carry(session, series)
        followed = carrying.versions_followed(session, series)
    of = arranged(studio, slug)
    carried = [studio.bench.planner.plan(of.facts, p, followed[of.facts[p].id].aimed).key for p in of.setups[0].places]
    assert carried == after[0]
    assert walk(studio, slug, False) == f"{of.setups[0].name}: the same steps" and keys(studio, slug) == before
    choose(studio, slug, 1, way="fit")
    assert draft(studio, slug).look.setups == (), "the way of the series is no way of its own"


def test_the_wall_shows_the_draft_as_it_arrives_in_each_way_everywhere(studio: Studio, slug: str) -> None:
    def shown(key: str) -> list[str]:
        with studio.database.session() as session:
            series = catalogue.find_series(session, slug)
            facts = series_facts(session, series)
            aims = wall_states.state_of(session, series, facts, key).aims
        return [studio.bench.planner.plan(facts, place, aims[place]).key for place in range(len(facts))]

    def states() -> list[str]:
        with studio.database.session() as session:
            return [way.key for way in wall_states.ways(looks.draft_of(session, catalogue.find_series(session, slug)))]

    assert states() == [], "with nothing made by hand there is one way"
    set_draft(studio, slug, BY_HAND)
    assert states() == ["by-fit", "by-steps", "by-result", "by-both"]
    assert shown("by-fit") == shown("draft") and len({shown(key)[0] for key in states()}) == 4
    choose(studio, slug, 0, way="steps")
    assert shown("by-fit") != shown("draft"), "whatever a set-up says"
    assert shown("by-steps")[0] == shown("draft")[0]
    with pytest.raises(InvalidChangeError):
        shown("by-chance")


def test_a_set_up_aims_at_a_still_of_its_own_and_its_drift_is_from_that(studio: Studio, slug: str) -> None:
    with pytest.raises(InvalidChangeError, match="but one"):
        by_setup.take_nearest(studio, slug, arranged(studio, slug).revision)
    read_second(studio, slug)
    of = arranged(studio, slug)
    assert [one.name for one in of.singles] == ["still_1_teal_amber", "still_2_pale_pastel"]
    before = keys(studio, slug)
    choose(studio, slug, 1, aim=of.singles[1].key)
    after = keys(studio, slug)
    assert after[0] == before[0] and not set(after[1]) & set(before[1])
    of = arranged(studio, slug)
    frame = of.facts[of.setups[1].places[0]]
    alone, blended = (studio.bench.planner.yardstick(one) for one in (of.aimed.on(frame), of.aimed))
    assert alone is not None and blended is not None and alone.cloud is not blended.cloud
    with pytest.raises(InvalidChangeError, match="not in the target"):
        choose(studio, slug, 1, aim="nothing")
    by_setup.take_nearest(studio, slug, arranged(studio, slug).revision)
    aims = {own.aim for own in draft(studio, slug).look.setups}
    assert aims <= {one.key for one in of.singles} and len(draft(studio, slug).look.setups) == len(of.setups)


def test_ways_are_tried_and_without_a_hero_none_is_proposed(studio: Studio, slug: str) -> None:
    set_draft(studio, slug, BY_HAND)
    of = arranged(studio, slug)
    tried = by_setup.column(studio.bench, of, of.setups[0], shown=len(of.setups[0].places) + 1)
    assert [one.way for one in tried.reached] == ["fit", "steps", "result", "both"]
    assert len({one.plan.key for one in tried.reached}) == 4 and tried.chosen == "fit" and tried.proposed is None
    assert all(one.frame is of.facts[of.setups[0].places[1]] for one in tried.reached)
    assert len({one.drift for one in tried.reached}) == 4


def test_in_the_light_of_its_hero_a_set_up_gets_the_same_steps_and_others_what_comes_nearest(
    studio: Studio, slug: str
) -> None:
    set_draft(studio, slug, BY_HAND)
    of = arranged(studio, slug)
    hero = of.facts[of.setups[0].places[0]].id
    heroes.take_finished(studio, slug, hero)
    drain(studio)
    of = arranged(studio, slug)
    assert of.heroes == {hero} and [setup.in_hero_light for setup in of.setups] == [True, False]
    assert hero not in {of.facts[place].id for place in of.setups[0].places}
    found = [by_setup.column(studio.bench, of, setup) for setup in of.setups]
    assert found[0].proposed and found[0].proposed[0] == "steps"
    left = {one.way: one.drift for one in found[1].reached if one.drift is not None and one.way != "fit"}
    assert found[1].proposed and left[found[1].proposed[0]] <= min(left.values()) + 0.1
    by_setup.take_proposed(studio, slug, of.revision)
    for setup, before in zip(of.setups, found, strict=True):
        after = by_setup.column(studio.bench, arranged(studio, slug), setup)
        assert before.proposed and after.chosen == before.proposed[0]
    with pytest.raises(ConflictError):
        by_setup.take_proposed(studio, slug, of.revision)


def test_what_a_look_does_by_set_up_stays_in_its_series(studio: Studio, slug: str) -> None:
    set_draft(studio, slug, BY_HAND)
    choose(studio, slug, 0, way="both")
    kept = keep(studio, slug, "Warm")
    use(studio, slug, kept)
    assert draft(studio, slug).look.of_setup(str(arranged(studio, slug).setups[0].id)).way == "both"
    with studio.database.session() as session:
        gone = catalogue.find_series(session, slug).id
        with pytest.raises(NotFoundError):
            by_setup.choose(session, catalogue.find_series(session, slug), gone, OfSetup(setup=str(gone)), 1)


def test_kept_looks_are_ranked_by_set_up_and_one_is_carried_to_its_frames_alone(studio: Studio, slug: str) -> None:
    set_draft(studio, slug, BY_HAND)
    kept = keep(studio, slug, "Warm")

    def setting() -> by_light.Setting:
        with studio.database.session() as session:
            series = catalogue.find_series(session, slug)
            with pytest.raises(NotFoundError):
                by_light.setting_of(session, series, uuid.uuid4())
            return by_light.setting_of(session, series, series.setups[0].id)

    first = setting()
    found, problem = by_light.best_suited(studio.bench, first)
    assert not problem and [one.entry.name for one in found] == ["Warm"] and "changes colours" in found[0].words
    assert first.followed == () and 0 < len(first.frames) < 5
    meant = uses.meant(studio, slug, kept, None, Use())
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        uses.carry_kept(session, series, meant, first.frames)
        session.flush()
        followed = carrying.versions_followed(session, series)
    assert set(followed) == set(first.frames) and setting().followed == ((1, len(first.frames)),)


@pytest.mark.parametrize(("many", "looked_at"), [(3, 3), (7, 7), (8, 4), (20, 7), (200, 7)])
def test_a_veil_is_looked_for_in_a_few_frames_of_a_set_up_however_many_it_has(
    bench: Workbench, frames: Facts, many: int, looked_at: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    seen: list[int] = []
    monkeypatch.setattr(veils, "veil_over", lambda found: seen.append(len(found)))
    veils.veil_of(bench, frames, [place % len(frames) for place in range(many)], {})
    assert seen == [looked_at]
