"""The workbench: what it keeps, what it forgets, and that a picture under a plan is always the same."""

from collections.abc import Iterator
from dataclasses import replace
from datetime import UTC, datetime, timedelta

import cv2
import numpy as np
import pytest

from nuvett.core.errors import DocumentError, InvalidChangeError, NotFoundError
from nuvett.core.look.look import Look
from nuvett.core.look.trim import Trim
from nuvett.core.measure.sampling import stratified_sample
from nuvett.core.measure.statistics import measure
from nuvett.core.plan.by_hand import SaturateOperation
from nuvett.core.plan.light import GainsOperation
from nuvett.core.planning.planning import UNTOUCHED
from nuvett.core.reading.family import Family
from nuvett.core.reading.reading import Weighed, blend, read
from nuvett.core.reading.regions import Patch, Sampling, sampling_weights
from nuvett.core.registration.features import find_features
from nuvett.core.spaces.oklab import linear_to_oklab
from nuvett.core.spaces.rgb import Space, to_linear
from nuvett.core.steps.even import EvenStep
from nuvett.core.steps.finish import FinishStep
from nuvett.core.steps.saturation import SaturationStep
from nuvett.imaging.encode import Format, encode
from nuvett.imaging.opened import Limits
from nuvett.imaging.proxy import measuring_proxy
from nuvett.services.engine.arrays import dump_array, dump_features, load_array, load_features
from nuvett.services.engine.facts import Aimed, Facts, FrameFacts
from nuvett.services.engine.plans import KEPT_DAYS
from nuvett.services.engine.wall import Show, build_wall, choose_proofs, shown_plan
from nuvett.services.engine.workbench import Workbench
from nuvett.services.platform.studio import Studio
from nuvett.services.shelf.strips import ROW_HEIGHT, STRIP_WIDTH, strip
from nuvett.store import models
from nuvett.store.blobs import BlobStore
from tests.conftest import DEMO, load_rgb


def pixels_of(data: bytes) -> np.ndarray:
    return cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_COLOR).astype(int)


def test_arrays_survive_being_kept() -> None:
    array = np.random.default_rng(0).uniform(size=(7, 3)).astype(np.float32)
    assert np.array_equal(load_array(dump_array(array).read()), array)
    assert np.allclose(load_array(dump_array(array.astype(np.float16)).read()), array, atol=1e-3)


def test_a_plan_is_found_by_its_key_in_another_process_and_unknown_keys_are_not(
    bench: Workbench, store: BlobStore, studio: Studio, frames: Facts, aimed: Aimed
) -> None:
    plan = bench.planner.plan(frames, 0, aimed)
    assert bench.planner.plan(frames, 0, aimed) is plan
    with pytest.raises(NotFoundError):
        bench.plans.find(plan.key)
    bench.plans.keep(plan, None, plan)
    other = Workbench(store, studio.database, Limits(), 64)
    found = other.plans.find(plan.key)
    assert found is not None and found.key == plan.key and other.plans.find("") is None
    assert other.pictures.preview(frames[0], found, 150) == bench.pictures.preview(frames[0], plan, 150)
    assert bench.plans.forget_old() == 0
    long_ago = datetime.now(UTC) - timedelta(days=KEPT_DAYS + 1)
    with studio.database.session() as session:
        session.get_one(models.PlanRow, plan.key).seen = long_ago
    assert other.plans.forget_old() == 1
    with studio.database.session() as session:
        session.add(models.PlanRow(key="newer", document={"schema_version": 9}))
        session.add(models.PlanRow(key="odd", document={"schema_version": 2, "groups": [_ODD]}))
    for key, words in (("newer", "schema 9"), ("odd", "tilt")):
        with pytest.raises(DocumentError, match=words):
            other.plans.find(key)


_ODD = {"name": "look", "operations": [{"kind": "tilt", "degrees": 4}]}


def test_samples_of_earlier_versions_get_places_from_their_view(
    bench: Workbench, store: BlobStore, frames: Facts
) -> None:
    whole = bench.sources.sample(frames[0])
    old, _ = store.put(dump_array(whole.colours))
    found = bench.sources.sample(replace(frames[0], sample=old))
    assert np.array_equal(found.colours, whole.colours)
    # Not the very places, but places of like colours, so that colours and places go together as they did.
    proxy = measuring_proxy(bench.sources.view(frames[0].view), Space.SRGB)
    height, width = proxy.shape[:2]
    there = proxy[(found.places[:, 1] * height).astype(int), (found.places[:, 0] * width).astype(int)]
    assert np.median(np.abs(linear_to_oklab(there) - linear_to_oklab(found.colours))) < 0.01
    assert np.ptp(found.places, axis=0) == pytest.approx((1, 1), abs=0.02)


def test_what_a_vignette_darkens_is_measured_as_it_is_seen(bench: Workbench, frames: Facts, aimed: Aimed) -> None:
    summaries = []
    for corners in (0, 100, 200):
        dark = aimed.with_look(aimed.look.with_step(FinishStep(vignette=corners)))
        plan = bench.planner.plan(frames, 0, dark)
        seen = bench.measures.summary(frames[0], plan, dark)
        shown = pixels_of(bench.pictures.preview(frames[0], plan, 300))[..., ::-1]
        drawn = linear_to_oklab(to_linear((shown.reshape(-1, 3) / 255).astype(np.float32)))
        measured = bench.measures.cloud(frames[0], plan)
        assert np.median(measured[:, 0]) == pytest.approx(np.median(drawn[:, 0]), abs=0.012)
        summaries.append(seen)
    none, half, whole = summaries
    assert none.marks[3] > half.marks[3] > whole.marks[3] and none.palette != half.palette
    assert whole.drift.value != pytest.approx(none.drift.value, abs=0.05)


def test_previews_are_repeatable_and_sized(
    bench: Workbench, store: BlobStore, studio: Studio, frames: Facts, aimed: Aimed
) -> None:
    plan = bench.planner.plan(frames, 1, aimed)
    first = bench.pictures.preview(frames[1], plan, 150)
    assert pixels_of(first).shape == (100, 150, 3)
    other = Workbench(store, studio.database, Limits(), 64)
    assert other.pictures.preview(frames[1], other.planner.plan(frames, 1, aimed), 150) == first
    assert bench.pictures.preview(frames[1], None, 150) != first


def test_what_is_shown_follows_the_choice(bench: Workbench, frames: list, aimed: Aimed) -> None:  # type: ignore[type-arg]
    assert shown_plan(bench, frames, 3, aimed, Show.ORIGINAL) is None
    assert shown_plan(bench, frames, 3, None, Show.LOOK) is None
    evened = shown_plan(bench, frames, 3, aimed, Show.EVENED)
    assert evened is not None and evened.find(GainsOperation, "light").gains[0] == pytest.approx(2.5)
    assert not evened.group("look").operations
    off = Aimed(Look(even=EvenStep(on=False)), aimed.target, "one")
    plain = shown_plan(bench, frames, 3, off, Show.EVENED)
    assert plain is not None and plain.find(GainsOperation, "light").gains == (1.0, 1.0, 1.0)


def test_the_wall_says_which_frames_are_richer_than_the_target(
    bench: Workbench, frames: Facts, still: np.ndarray
) -> None:
    quiet = to_linear(((0.35 * still + 0.65 * still.mean(axis=2, keepdims=True)) / 255).astype(np.float32))
    aimed = Aimed(Look(), blend([Weighed(reading=read(quiet), tone=1, colour=1)]), "quiet")
    plain, original = (build_wall(bench, frames, aimed, show) for show in (Show.LOOK, Show.ORIGINAL))
    vivid = replace(aimed, look=aimed.look.with_step(SaturationStep(saturation=100)))
    rich = build_wall(bench, frames, vivid, Show.LOOK)
    assert all(item.shown.summary.richer is None for item in original.items)
    told = [item.shown.summary.richer for item in rich.items]
    assert sum(note is not None for note in told) > sum(item.shown.summary.richer is not None for item in plain.items)
    index = next(i for i, note in enumerate(told) if note is not None)
    plan = bench.planner.plan(frames, index, vivid)
    assert told[index] in bench.measures.notes(frames[index], plan, vivid), "the proof says the same"


def test_even_light_brings_exposures_together_on_the_wall(bench: Workbench, frames: list, aimed: Aimed) -> None:  # type: ignore[type-arg]
    original, evened, looked = (build_wall(bench, frames, aimed, show) for show in Show)
    middles = [[item.shown.summary.marks[3] for item in wall.items] for wall in (original, evened, looked)]
    assert np.ptp(middles[0]) > 15 and np.ptp(middles[1]) < 5 and np.ptp(middles[2]) < 6
    assert original.drift and looked.drift and original.drift[0] == original.drift[1] > looked.drift[1]
    assert build_wall(bench, Facts(), aimed, Show.LOOK).items == []


def test_planning_a_series_looks_through_its_frames_once_and_not_for_every_frame(
    bench: Workbench, frames: Facts, aimed: Aimed
) -> None:
    walked: list[int] = []

    class Counted(Facts):
        def __iter__(self) -> Iterator[FrameFacts]:
            walked.append(len(self))
            return super().__iter__()

    many = Counted([*frames] * 8)
    plans = [bench.planner.plan(many, index, aimed) for index in range(len(many))]
    assert len(walked) <= 4
    assert [bench.planner.plan(many, index, aimed) for index in range(len(many))] == plans
    assert len(walked) <= 4
    assert plans[0].key == plans[4].key != plans[1].key


def test_a_look_is_fitted_by_what_crops_leave_where_it_asks_for_that(
    bench: Workbench, frames: Facts, aimed: Aimed
) -> None:
    cut = frames.with_trim(0, Trim.model_validate({"geometry": {"cut": [0.05, 0.05, 0.35, 0.4], "proportion": "free"}}))
    inside = aimed.with_look(Look(seen="crop"))

    def tone(of: Facts, index: int, by: Aimed) -> str:
        return bench.planner.look_plan(of, index, by).group("look").model_dump_json()

    assert tone(cut, 0, aimed) == tone(frames, 0, aimed), "as usual a crop changes no fit"
    assert tone(cut, 0, inside) != tone(frames, 0, inside) == tone(frames, 0, aimed)
    assert tone(cut, 1, inside) != tone(frames, 1, inside), "and the pool of the set-up is of what is left, too"
    assert bench.planner.plan(cut, 1, inside).key != bench.planner.plan(frames, 1, inside).key
    tiny = frames.with_trim(0, Trim.model_validate({"geometry": {"cut": [0, 0, 0.04, 0.04], "proportion": "free"}}))
    assert tone(tiny, 0, inside), "a crop with too few colours is fitted as a whole"


def test_one_trim_changes_one_plan(bench: Workbench, frames: Facts, aimed: Aimed) -> None:
    trimmed = frames.with_trim(2, Trim(saturation=SaturationStep(saturation=-100)))
    assert [t == f for t, f in zip(trimmed, frames, strict=True)] == [True, True, False, True]
    grey = pixels_of(bench.pictures.preview(trimmed[2], bench.planner.plan(trimmed, 2, aimed), 150))
    assert np.ptp(grey, axis=2).mean() < 3
    alone = bench.planner.trim_only(trimmed[2])
    assert [group.name for group in alone.groups] == ["trim"]
    assert alone.find(SaturateOperation, "trim").saturation == -1


def test_proofs_are_the_most_different_frames(bench: Workbench, frames: list) -> None:  # type: ignore[type-arg]
    assert choose_proofs(bench, frames, count=9) == [0, 1, 2, 3]
    assert {0, 3} <= set(choose_proofs(bench, frames, count=3))


def test_a_strip_shows_the_frames_in_order(bench: Workbench, frames: Facts, aimed: Aimed) -> None:
    plain = strip(bench, frames, {})
    assert plain == strip(bench, frames, {}) != strip(bench, Facts(frames[::-1]), {})
    assert pixels_of(plain).shape == (2 * ROW_HEIGHT, STRIP_WIDTH, 3)
    upper, lower = np.split(pixels_of(plain), 2)
    assert np.abs(upper - lower).mean() < 1  # nothing is carried yet


def test_colours_are_picked_where_the_picture_has_them(bench: Workbench, frames: list, photo: np.ndarray) -> None:  # type: ignore[type-arg]
    picked = bench.pictures.colour_at(frames[0].view, Space.SRGB, (0.5, 0.5))
    around = to_linear((photo[97:104, 147:154] / 255).astype(np.float32)).reshape(-1, 3) * np.float32(0.6)
    assert np.allclose(picked, linear_to_oklab(around).mean(axis=0), atol=0.02)
    evened = [bench.pictures.colour_under(f, bench.planner.evened(f, Look()), [0.2, 0.3]) for f in frames]
    assert np.ptp([lightness for lightness, _, _ in evened]) < 0.03
    for place in ([2, 0], None, ["a", 0], [0.5]):
        with pytest.raises(InvalidChangeError):
            bench.pictures.colour_under(frames[0], UNTOUCHED, place)


def test_the_veil_hides_what_is_not_sampled(still: np.ndarray) -> None:
    proxy = to_linear((still / 255).astype(np.float32))
    amber = linear_to_oklab(proxy).reshape(-1, 3)[np.argmax(linear_to_oklab(proxy)[..., 2])]
    family = Family(colour=(float(amber[0]), float(amber[1]), float(amber[2])), tolerance=20)
    weights = sampling_weights(proxy, Sampling(families=(family,), patches=(Patch.rectangle(0.5, 0, 0.5, 1),)))
    assert weights[:, : weights.shape[1] // 2].max() == 0 and weights.max() == 1
    assert read(proxy, Sampling(families=(family,))).palette[-1].lch[1] > 0.05
    assert measure(linear_to_oklab(stratified_sample(proxy))).chroma[-1] > 0.1
    assert encode(np.zeros((4, 4, 3), np.uint8), Format.PNG)[:4] == b"\x89PNG"


def test_points_survive_being_kept_and_damage_is_said() -> None:
    proxy = measuring_proxy(load_rgb(DEMO / "frames" / "AT-0104.jpg"), Space.SRGB)
    found = find_features(proxy)
    data = dump_features(found).read()
    kept = load_features(data)
    assert len(kept) > 300 and (kept.descriptors == found.descriptors).all() and (kept.colours == found.colours).all()
    for damaged in (data[:200], b"", dump_array(proxy).read()):
        with pytest.raises(DocumentError):
            load_features(damaged)
