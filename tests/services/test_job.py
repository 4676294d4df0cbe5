"""The whole job through the services, on a real database with the real worker."""

import io
import time
import uuid
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from threading import Event

import pytest
from sqlalchemy import event, func, select

from nuvett.core.errors import ConflictError, InvalidChangeError, NotFoundError, TargetError, TooManyError
from nuvett.core.look.look import Look
from nuvett.core.look.trim import Trim
from nuvett.core.reading.regions import Patch, Sampling
from nuvett.core.steps.exposure import ExposureStep
from nuvett.core.steps.finish import FinishStep
from nuvett.core.steps.tone import ToneStep
from nuvett.services.delivery import deliveries
from nuvett.services.delivery.delivery_settings import DeliverySettings
from nuvett.services.engine.facts import Facts
from nuvett.services.engine.wall import Show, build_wall, choose_proofs
from nuvett.services.lookbook import uses
from nuvett.services.looks import carrying, looks, trims
from nuvett.services.platform import history, incoming
from nuvett.services.platform.studio import Studio
from nuvett.services.references import kept_references, reading_history, targets
from nuvett.services.series import catalogue, frame_facts, gathering, setups
from nuvett.services.shelf import filing
from nuvett.services.shelf.demo import load_demo
from nuvett.store import models
from tests.conftest import DEMO, drain
from tests.services.books import carry_now
from tests.services.conftest import FRAMES


def rows(studio: Studio, slug: str) -> list[models.FrameRow]:
    with studio.database.session() as session:
        return catalogue.ready_frames(session, catalogue.find_series(session, slug).id)


def test_frames_are_measured_ordered_and_put_into_set_ups(studio: Studio, slug: str) -> None:
    frames = rows(studio, slug)
    assert [f.name for f in frames] == ["AT-0101", "AT-0102", "AT-0103", "AT-0107", "AT-0108"]
    setups = [f.setup_id for f in frames]
    assert setups[0] == setups[2] != setups[3] == setups[4]
    assert all(f.even and f.view and f.sample and f.width == 1200 for f in frames)


def test_a_refused_file_says_why_and_nothing_else_is_lost(studio: Studio, slug: str) -> None:
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        gathering.add_frame(session, studio, series, "../../etc/shopping list.jpg", io.BytesIO(b"milk, bread"))
    drain(studio)
    with studio.database.session() as session:
        refused = session.scalars(select(models.FrameRow).where(models.FrameRow.state == "refused")).one()
        assert refused.name == "shopping list" and "not a picture" in refused.problem
    assert len(rows(studio, slug)) == 5
    assert all(f.even for f in rows(studio, slug))


def test_set_ups_can_be_split_joined_and_keep_that_when_more_arrives(studio: Studio, slug: str) -> None:
    frames = rows(studio, slug)
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        setups.begin_setup(session, series, session.get_one(models.FrameRow, frames[2].id))
        with pytest.raises(InvalidChangeError):
            setups.begin_setup(session, series, session.get_one(models.FrameRow, frames[2].id))
        gathering.add_file(session, studio, series, DEMO / "frames" / "AT-0109.jpg")
    drain(studio)
    after = rows(studio, slug)
    groups = [f.setup_id for f in after]
    assert len(set(groups)) == 3 and groups[1] != groups[2] != groups[3] and groups[3] == groups[5]
    assert after[2].even == {**(after[2].even or {}), "exposure": 0.0}  # alone in its set-up: left as it is
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        setups.join_setup(session, series, session.get_one(models.FrameRow, after[2].id))
        assert [s.name for s in series.setups] == ["Set-up 1", "Set-up 2"]


def test_the_look_is_carried_revised_and_never_stacked(studio: Studio, slug: str) -> None:
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        first = carrying.carry(session, series)
        assert carrying.carry(session, series).id == first.id  # carrying twice is carrying once
        plans = _plans(studio, session, series)
        row = catalogue.look_of(session, series)
        softer = Look(tone=ToneStep(amount=30))
        looks.change_look(session, series, softer, row.revision)
        assert _plans(studio, session, series) == plans  # frames follow the version, not the draft
        second = carrying.carry(session, series)
        assert (first.number, second.number) == (1, 2)
        assert _plans(studio, session, series) != plans
        carrying.walk_carry(session, series, forward=False)
        assert _plans(studio, session, series) == plans
        carrying.walk_carry(session, series, forward=True)
        assert {f.follows_id for f in catalogue.ready_frames(session, series.id)} == {second.id}


def _plans(studio: Studio, session, series: models.SeriesRow) -> list[str]:  # type: ignore[no-untyped-def]
    facts, followed = frame_facts.series_facts(session, series), carrying.versions_followed(session, series)
    return [studio.bench.planner.plan(facts, i, followed[f.id].aimed).key for i, f in enumerate(facts)]


def test_a_trim_survives_every_revision_and_changes_only_its_frame(studio: Studio, slug: str) -> None:
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        carrying.carry(session, series)
        before = _plans(studio, session, series)
        frame = catalogue.ready_frames(session, series.id)[1]
        trims.set_trim(session, series, frame, Trim(exposure=ExposureStep(exposure=0.4)), frame.trim_revision)
        with pytest.raises(ConflictError):
            trims.set_trim(session, series, frame, Trim(exposure=ExposureStep(exposure=-0.4)), frame.trim_revision - 1)
        after = _plans(studio, session, series)
        assert [a == b for a, b in zip(before, after, strict=True)] == [True, False, True, True, True]
        looks.change_look(session, series, Look(pull=20), catalogue.look_of(session, series).revision)
        carrying.carry(session, series)
        assert frame.trim is not None and frame.trim["exposure"]["exposure"] == 0.4
        trims.walk_trim(session, frame, forward=False)
        assert frame.trim is None
        with pytest.raises(InvalidChangeError):
            trims.walk_trim(session, frame, forward=False)


def test_undo_after_any_change_restores_the_bytes(studio: Studio, slug: str) -> None:
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        texts = [looks.look_text(session, series)]
        for look in (Look(strength=50), Look(strength=50, pull=10), Look(tone=ToneStep(on=False))):
            looks.change_look(session, series, look, catalogue.look_of(session, series).revision)
            texts.append(looks.look_text(session, series))
        for text in reversed(texts[:-1]):
            looks.walk_look(session, series, forward=False)
            assert looks.look_text(session, series) == text
        for text in texts[1:]:
            looks.walk_look(session, series, forward=True)
            assert looks.look_text(session, series) == text
        words = [s.words for s in history.steps(session, f"look:{catalogue.look_of(session, series).id}")]
        assert words[1:] == ["Pull 60 to 10 %", "Strength of the look 100 to 50 %"]


def test_two_windows_do_not_overwrite_each_other(studio: Studio, slug: str) -> None:
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        revision = catalogue.look_of(session, series).revision
        looks.change_look(session, series, Look(strength=40), revision)
    with pytest.raises(ConflictError, match="another window"), studio.database.session() as session:
        looks.change_look(session, catalogue.find_series(session, slug), Look(strength=90), revision)
    with studio.database.session() as session:
        assert catalogue.look_of(session, catalogue.find_series(session, slug)).draft["strength"] == 40


def test_resampling_makes_a_new_target_only_when_something_changed(studio: Studio, slug: str) -> None:
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        reference = series.references[0]
        first = targets.latest_target(session, series.id)
        assert first is not None
        carrying.carry(session, series)
        assert targets.renew_target(session, series.id) is first
        reading = kept_references.measure_sampling(
            studio, reference.proxy or "", Sampling(patches=(Patch.rectangle(0, 0, 0.5, 1),))
        )
        kept_references.set_reading(reference, reading)
        second = targets.renew_target(session, series.id)
        assert second is not None and second.number == 2
        assert carry_now(session, series).changed
        reference.tone_weight = reference.colour_weight = 0
        session.flush()
        with pytest.raises(TargetError):
            targets.renew_target(session, series.id)


def test_the_wall_measures_every_frame_and_a_shuffled_series_gives_the_same_plans(studio: Studio, slug: str) -> None:
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        facts, aimed = frame_facts.series_facts(session, series), looks.draft_of(session, series)
    assert aimed is not None
    wall = build_wall(studio.bench, facts, aimed, Show.LOOK)
    assert wall.drift and wall.drift[1] < 0.6 * wall.drift[0] and wall.spread[1] < wall.spread[0]
    assert len(choose_proofs(studio.bench, facts, count=3)) == 3
    for index in range(len(facts)):
        plan = studio.bench.planner.plan(Facts(facts[::-1]), index, aimed)
        other = studio.bench.planner.plan(facts, len(facts) - 1 - index, aimed)
        assert plan.key == other.key


def test_deleting_a_series_leaves_no_orphan_and_spares_what_others_use(studio: Studio, slug: str) -> None:
    with studio.database.session() as session:
        other = catalogue.start_series(session, "Winter fair")
        assert other.slug == "winter-fair-2"
        gathering.add_file(session, studio, other, FRAMES[0])
        carrying.carry(session, catalogue.find_series(session, slug))
        deliveries.order_delivery(session, studio, catalogue.find_series(session, slug), DeliverySettings(size=100))
    drain(studio)
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        filing.delete_series(session, series)
        filing.remove_for_good(session, studio, series)
    drain(studio)
    with studio.database.session() as session:
        frame = session.scalars(select(models.FrameRow)).one()
        assert studio.blobs.names() == {frame.original, frame.view, frame.sample, frame.points}
        assert session.scalar(select(func.count()).select_from(models.HistoryRow)) == 0
        with pytest.raises(NotFoundError):
            catalogue.find_series(session, slug)


def test_the_demo_loads_once(studio: Studio) -> None:
    with studio.database.session() as session:
        first = load_demo(session, studio).id
    with studio.database.session() as session:
        assert load_demo(session, studio).id == first
        assert session.scalar(select(func.count()).select_from(models.FrameRow)) == 36
        assert session.scalar(select(func.count()).select_from(models.ReferenceRow)) == 4


def test_a_series_takes_no_more_frames_than_the_installation_allows(studio: Studio) -> None:
    with pytest.raises(TooManyError), studio.database.session() as session:
        series = catalogue.start_series(session, "Many")
        for n in range(studio.settings.series_frames + 1):
            gathering.add_frame(session, studio, series, "a.jpg", io.BytesIO(b"%d" % n))
    with studio.database.session() as session:
        assert session.scalar(select(func.count()).select_from(models.FrameRow)) == 0


@pytest.mark.parametrize("title", ["", "   ", "x" * 200])
def test_a_series_needs_a_usable_title(studio: Studio, title: str) -> None:
    with pytest.raises(InvalidChangeError), studio.database.session() as session:
        catalogue.start_series(session, title)


def test_listing_a_wall_asks_the_database_a_fixed_number_of_times(studio: Studio, slug: str) -> None:
    with studio.database.session() as session:
        carrying.carry(session, catalogue.find_series(session, slug))
    counts = []
    for name in ("AT-0110", "AT-0111", "AT-0112"):
        asked: list[str] = []
        event.listen(studio.database.engine, "before_cursor_execute", lambda *a, log=asked: log.append(a[2]))
        with studio.database.session() as session:
            series = catalogue.find_series(session, slug)
            frame_facts.series_facts(session, series)
            carrying.versions_followed(session, series)
        counts.append(len(asked))
        with studio.database.session() as session:
            gathering.add_file(session, studio, catalogue.find_series(session, slug), DEMO / "frames" / f"{name}.jpg")
        drain(studio)
    assert max(counts) <= 8


def test_names_from_outside_are_never_paths() -> None:
    assert incoming.display_name("../../etc/passwd") == "passwd"
    assert incoming.display_name("C:\\photos\\IMG 1.jpg") == "IMG 1"
    assert incoming.display_name("a\nb\x00.png") == "a b"
    assert incoming.display_name("") == "unnamed" and incoming.display_name("...") != ""
    assert incoming.display_name("名前 café.tiff") == "名前 café"


def test_blobs_are_named_by_content_only(studio: Studio, tmp_path: Path) -> None:
    first, size = studio.blobs.put(io.BytesIO(b"same"))
    assert studio.blobs.put(io.BytesIO(b"same")) == (first, size) and size == 4
    assert studio.blobs.read(first) == b"same"
    for name in ("../x", "a" * 63, "G" * 64, str(uuid.uuid4())):
        with pytest.raises(ValueError):
            studio.blobs.read(name)
    studio.blobs.remove(first)
    assert not studio.blobs.exists(first)


def test_looks_are_taken_over_whole_or_by_part_as_one_step_that_can_be_undone(studio: Studio, slug: str) -> None:
    with studio.database.session() as session:
        source = catalogue.find_series(session, slug)
        other = catalogue.start_series(session, "Spring fair")
        for strength in (80, 60):
            looks.change_look(session, source, Look(strength=strength), catalogue.look_of(session, source).revision)
        grained = Look(strength=60, finish=FinishStep(grain=30))
        looks.change_look(session, source, grained, catalogue.look_of(session, source).revision)
        uses.take_over(session, other, source, frozenset({"finish"}), 1)
        assert Look.model_validate(catalogue.look_of(session, other).draft) == Look(finish=FinishStep(grain=30))
        with pytest.raises(ConflictError):
            uses.take_over(session, other, source, None, 1)
        uses.take_over(session, other, source, None, 2)
        row = catalogue.look_of(session, other)
        assert Look.model_validate(row.draft) == grained
        assert history.steps(session, f"look:{row.id}")[0].words == "Look of Winter fair"
        looks.walk_look(session, other, forward=False)
        assert Look.model_validate(catalogue.look_of(session, other).draft) == Look(finish=FinishStep(grain=30))
        with pytest.raises(InvalidChangeError):
            uses.take_over(session, other, other, None, 4)


def test_proofs_are_chosen_and_proposed_again(studio: Studio, slug: str) -> None:
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        facts = frame_facts.series_facts(session, series)
        looks.set_proofs(session, series, [facts[3].id, facts[1].id])
        assert choose_proofs(studio.bench, facts, (facts[3].id, facts[1].id)) == [1, 3]
        for wrong in ([], [uuid.uuid4()]):
            with pytest.raises(InvalidChangeError):
                looks.set_proofs(session, series, wrong)
        looks.set_proofs(session, series, None)
        assert catalogue.look_of(session, series).proofs is None


def test_a_target_renewed_while_a_look_is_carried_waits_and_leaves_the_new_version_its_target(
    studio: Studio, slug: str
) -> None:
    begun = Event()

    def renew() -> None:
        begun.set()
        with studio.database.session() as session:
            series = catalogue.find_series(session, slug)
            with reading_history.recorded(session, series, "Weights changed"):
                reading = kept_references.measure_sampling(
                    studio, series.references[0].proxy or "", Sampling(tone=(0, 60))
                )
                kept_references.set_reading(series.references[0], reading)

    with ThreadPoolExecutor(1) as pool:
        with studio.database.session() as session:
            carried = carrying.carry(session, catalogue.find_series(session, slug)).id
            renewed = pool.submit(renew)
            begun.wait(10)
            time.sleep(0.3)
            assert not renewed.done()
        renewed.result(30)
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        version = session.get_one(models.LookVersionRow, carried)
        newest = targets.latest_target(session, series.id)
        assert newest is not None and newest.id != version.target_id
        assert {f.number for f in carrying.versions_followed(session, series).values()} == {version.number}
