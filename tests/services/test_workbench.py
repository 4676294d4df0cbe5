"""The workbench: what it keeps, what it forgets, and that a picture under a plan is always the same."""

import uuid
from collections.abc import Iterator
from pathlib import Path

import cv2
import numpy as np
import pytest

from nuvett.core.errors import DocumentError, InvalidChangeError
from nuvett.core.even.even_light import EvenLight
from nuvett.core.even.features import find_features
from nuvett.core.fit.statistics import measure
from nuvett.core.look.look import Look, Trim
from nuvett.core.look.steps import EvenStep
from nuvett.core.reading.family import Family
from nuvett.core.reading.reading import Weighed, blend, read
from nuvett.core.reading.regions import Patch, Sampling, sampling_weights
from nuvett.core.reading.sampling import stratified_sample
from nuvett.core.spaces.oklab import linear_to_oklab
from nuvett.core.spaces.rgb import Space, from_linear, to_linear
from nuvett.imaging.decode import Limits
from nuvett.imaging.encode import Format, encode, write_file
from nuvett.imaging.proxy import measuring_proxy
from nuvett.services.arrays import dump_array, dump_features, load_array, load_features
from nuvett.services.facts import Aimed, Facts, FrameFacts
from nuvett.services.strips import ROW_HEIGHT, STRIP_WIDTH, strip
from nuvett.services.wall import Show, build_wall, choose_proofs, shown_plan
from nuvett.services.workbench import Workbench
from nuvett.store.blobs import BlobStore
from tests.conftest import DEMO, load_rgb


@pytest.fixture
def bench(tmp_path: Path) -> Workbench:
    return Workbench(BlobStore(str(tmp_path / "blobs")), Limits(), 64)


@pytest.fixture
def frames(bench: Workbench, photo: np.ndarray, tmp_path: Path) -> Facts:
    """Four frames: the photo at four exposures, in two set-ups."""
    made = []
    setups = [uuid.uuid4(), uuid.uuid4()]
    for n, scale in enumerate((1.0, 0.8, 0.6, 0.4)):
        darker = to_linear((photo / 255).astype(np.float32)) * np.float32(0.6 * scale)
        pixels = np.rint(np.clip(from_linear(darker), 0, 1) * 255).astype(np.uint8)
        write_file(tmp_path / "a.jpg", pixels, Format.JPEG, 98)
        blob, _ = bench.blobs.put_file(tmp_path / "a.jpg")
        sample, _ = bench.blobs.put(dump_array(stratified_sample(measuring_proxy(pixels, Space.SRGB))))
        made.append(
            FrameFacts(
                id=uuid.uuid4(),
                original=blob,
                view=blob,
                sample=sample,
                domain=Space.SRGB,
                width=300,
                height=200,
                setup=setups[n // 2],
                even=EvenLight(gains=(1 / scale, 1 / scale, 1 / scale)),
                trim=Trim(),
            )
        )
    return Facts(made)


@pytest.fixture
def aimed(still: np.ndarray) -> Aimed:
    reading = read(to_linear((still / 255).astype(np.float32)))
    return Aimed(Look(), blend([Weighed(reading=reading, tone=1, colour=1)]), "one")


def pixels_of(data: bytes) -> np.ndarray:
    return cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_COLOR).astype(int)


def test_arrays_survive_being_kept() -> None:
    array = np.random.default_rng(0).uniform(size=(7, 3)).astype(np.float32)
    assert np.array_equal(load_array(dump_array(array).read()), array)
    assert np.allclose(load_array(dump_array(array.astype(np.float16)).read()), array, atol=1e-3)


def test_a_plan_is_found_by_its_key_and_unknown_keys_are_nothing(bench: Workbench, frames: list, aimed: Aimed) -> None:  # type: ignore[type-arg]
    plan = bench.plan(frames, 0, aimed)
    assert bench.plan(frames, 0, aimed) is plan
    assert bench.recall(plan.key) is None
    assert bench.recall(bench.remember(plan)) == plan
    assert bench.recall("0" * 32) is None


def test_previews_are_repeatable_and_sized(bench: Workbench, frames: list, aimed: Aimed) -> None:  # type: ignore[type-arg]
    plan = bench.plan(frames, 1, aimed)
    first = bench.preview(frames[1], plan, 150)
    assert pixels_of(first).shape == (100, 150, 3)
    other = Workbench(bench.blobs, bench.limits, 64)
    assert other.preview(frames[1], other.plan(frames, 1, aimed), 150) == first
    assert bench.preview(frames[1], None, 150) != first


def test_what_is_shown_follows_the_choice(bench: Workbench, frames: list, aimed: Aimed) -> None:  # type: ignore[type-arg]
    assert shown_plan(bench, frames, 3, aimed, Show.ORIGINAL) is None
    assert shown_plan(bench, frames, 3, None, Show.LOOK) is None
    evened = shown_plan(bench, frames, 3, aimed, Show.EVENED)
    assert evened is not None and evened.strength == 0 and evened.gains[0] == pytest.approx(2.5)
    off = Aimed(Look(even=EvenStep(on=False)), aimed.target, "one")
    plain = shown_plan(bench, frames, 3, off, Show.EVENED)
    assert plain is not None and plain.gains == (1.0, 1.0, 1.0)


def test_even_light_brings_exposures_together_on_the_wall(bench: Workbench, frames: list, aimed: Aimed) -> None:  # type: ignore[type-arg]
    original, evened, looked = (build_wall(bench, frames, aimed, show) for show in Show)
    middles = [[item.summary.marks[3] for item in wall.items] for wall in (original, evened, looked)]
    assert np.ptp(middles[0]) > 15 and np.ptp(middles[1]) < 5 and np.ptp(middles[2]) < 6
    assert original.drift_before == original.drift_shown > looked.drift_shown
    assert build_wall(bench, [], aimed, Show.LOOK).items == []


def test_planning_a_series_looks_through_its_frames_once_and_not_for_every_frame(
    bench: Workbench, frames: Facts, aimed: Aimed
) -> None:
    walked: list[int] = []

    class Counted(Facts):
        def __iter__(self) -> Iterator[FrameFacts]:
            walked.append(len(self))
            return super().__iter__()

    many = Counted([*frames] * 8)
    plans = [bench.plan(many, index, aimed) for index in range(len(many))]
    assert len(walked) <= 4
    assert [bench.plan(many, index, aimed) for index in range(len(many))] == plans
    assert len(walked) <= 4
    assert plans[0].key == plans[4].key != plans[1].key


def test_one_trim_changes_one_plan(bench: Workbench, frames: Facts, aimed: Aimed) -> None:
    trimmed = frames.with_trim(2, Trim(saturation=-100))
    assert [t == f for t, f in zip(trimmed, frames, strict=True)] == [True, True, False, True]
    grey = pixels_of(bench.preview(trimmed[2], bench.plan(trimmed, 2, aimed), 150))
    assert np.ptp(grey, axis=2).mean() < 3
    alone = bench.trim_only(trimmed[2])
    assert alone.trim.saturation == -100 and alone.strength == 0


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
    picked = bench.colour_at(frames[0].view, Space.SRGB, 0.5, 0.5)
    around = to_linear((photo[97:104, 147:154] / 255).astype(np.float32)).reshape(-1, 3) * np.float32(0.6)
    assert np.allclose(picked, linear_to_oklab(around).mean(axis=0), atol=0.02)
    evened = [bench.evened_colour_at(f, Look(), [0.2, 0.3]) for f in frames]
    assert np.ptp([lightness for lightness, _, _ in evened]) < 0.03
    for place in ([2, 0], None, ["a", 0], [0.5]):
        with pytest.raises(InvalidChangeError):
            bench.evened_colour_at(frames[0], Look(), place)


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
