"""Spots painted out: calm surfaces go on with their own grain, parts agree, and only what shows is done to others."""

import numpy as np
import pytest

from nuvett.core.drawing.drawing import Drawing, compile_stages
from nuvett.core.errors import InvalidChangeError
from nuvett.core.geometry.geometry import Geometry
from nuvett.core.geometry.spots import MAX_SPOTS, Spot, shows
from nuvett.core.look.placing import with_spot
from nuvett.core.look.trim import Trim, filled_parts
from nuvett.core.look.words import describe
from nuvett.core.plan.finish import SharpenOperation
from nuvett.core.plan.frame_plan import FramePlan, Group
from nuvett.core.spatial.mending import Mending

SIZE = (600, 400)
SPOTS = (Spot(x=0.2, y=0.3, radius=1.2), Spot(x=0.8, y=0.62, radius=0.8), Spot(x=0.004, y=0.5, radius=1))


def surface(depth: int = 8) -> np.ndarray:
    """A calm surface that becomes lighter across, with grain."""
    rng = np.random.default_rng(7)
    light = np.linspace(90, 170, SIZE[0])[None, :, None] + rng.normal(0, 3, (SIZE[1], SIZE[0], 3))
    scale = 1 if depth == 8 else 257
    return np.rint(light.clip(0, 255) * scale).astype(np.uint8 if depth == 8 else np.uint16)


def dusty(picture: np.ndarray, share: float = 0.7) -> np.ndarray:
    out = picture.astype(np.float32)
    rows, columns = np.mgrid[: SIZE[1], : SIZE[0]] + 0.5
    for spot in SPOTS:
        away = np.hypot(columns - spot.x * SIZE[0], rows - spot.y * SIZE[1]) / (spot.radius / 100 * SIZE[0])
        out *= (1 - (1 - share) * np.clip(1.15 - away, 0, 0.3) / 0.3)[..., None]
    return np.rint(out).astype(picture.dtype)


@pytest.mark.parametrize("depth", [8, 16])
def test_a_calm_surface_goes_on_where_a_spot_was_with_its_grain_and_nothing_else_is_touched(depth: int) -> None:
    clean = surface(depth)
    wider = [spot.model_copy(update={"radius": spot.radius * 1.2}) for spot in SPOTS]
    made = Mending(wider, SIZE).mended(dusty(clean), (0, 0))
    scale = 1 if depth == 8 else 257
    rows, columns = np.mgrid[: SIZE[1], : SIZE[0]] + 0.5
    far = np.ones(SIZE[::-1], dtype=bool)
    for spot in SPOTS:
        away = np.hypot(columns - spot.x * SIZE[0], rows - spot.y * SIZE[1]) / (spot.radius / 100 * SIZE[0])
        inside = away < 0.9
        off = (made[inside].astype(float) - clean[inside]) / scale
        assert abs(off.mean()) < 2.5 and 1.2 < made[inside].std() / scale < 6, "as light as around, and not smooth"
        assert shows(dusty(clean)[..., 1].astype(np.float32) / (255 * scale), spot)
        assert not shows(made[..., 1].astype(np.float32) / (255 * scale), spot)
        far &= away > 2
    assert np.array_equal(made[far], dusty(clean)[far])
    off = [spot.model_copy(update={"on": False}) for spot in SPOTS]
    assert Mending(off, SIZE).is_none and Mending([Spot(x=0.5, y=0.5, radius=0.1)], (300, 200)).is_none


@pytest.mark.parametrize("placed", [Geometry(), Geometry(straighten=4), Geometry(cut=(0.1, 0.1, 0.5, 0.6))])
@pytest.mark.parametrize("finish", [(), (SharpenOperation(amount=0.6),)])
def test_parts_strips_and_the_whole_picture_agree(placed: Geometry, finish: tuple[SharpenOperation, ...]) -> None:
    picture = dusty(surface())
    plan = FramePlan(spots=SPOTS, geometry=placed, groups=(Group(name="look", operations=finish),))
    size = plan.placed(SIZE).size
    drawing = Drawing(compile_stages(plan, points=9), size, picture, source=SIZE, original=SIZE)
    whole = drawing.picture(picture, rows=size[1])
    assert not np.array_equal(whole, Drawing(compile_stages(plan.model_copy(update={"spots": ()}), points=9), size,
                                             picture, source=SIZE, original=SIZE).picture(picture))  # fmt: skip
    assert np.array_equal(whole, drawing.picture(picture, rows=37, threads=2))
    for box in ((0, 60, 140, 90), (100, 100, 33, 20), (size[0] - 90, 40, 90, 120)):
        left, top, across, down = drawing.around(box)
        part = drawing.part(picture[top : top + down, left : left + across], box)
        assert np.array_equal(part, whole[box[1] : box[1] + box[3], box[0] : box[0] + box[2]])


def test_a_spot_is_told_only_where_it_stands_out_from_what_is_around() -> None:
    clean = surface()[..., 1].astype(np.float32) / 255
    assert not any(shows(clean, spot) for spot in SPOTS)
    rng = np.random.default_rng(3)
    busy = rng.uniform(0.2, 0.8, clean.shape).astype(np.float32)
    assert not any(shows(busy, spot) for spot in SPOTS)
    faint = dusty(surface(), 0.99)[..., 1].astype(np.float32) / 255
    assert not any(shows(faint, spot) for spot in SPOTS)
    assert not shows(clean, Spot(x=1, y=1, radius=0.1)), "too little of it is in the picture"


def test_spots_are_part_of_a_trim_as_large_as_the_last_one_and_not_without_end() -> None:
    first = with_spot(Trim(), 0.25, 0.5)
    assert not first.is_none and first.acts and filled_parts(first) == ("spots",)
    wider = first.model_copy(update={"spots": (first.spots[0].model_copy(update={"radius": 1.4}),)})
    second = with_spot(wider, 0.5, 0.5)
    assert [spot.radius for spot in second.spots] == [1.4, 1.4]
    assert describe(Trim(), second) == "2 spots painted out" and describe(first, wider) == "A spot changed"
    assert describe(second, Trim()) == "2 spots no longer painted out"
    for x, y in ((-0.1, 0.5), (0.5, 1.1)):
        with pytest.raises(InvalidChangeError, match="outside"):
            with_spot(Trim(), x, y)
    full = Trim(spots=(Spot(x=0.5, y=0.5),) * MAX_SPOTS)
    with pytest.raises(InvalidChangeError, match="At most 80"):
        with_spot(full, 0.5, 0.5)
