"""Lenses: found by a file's facts, undone as the database's own library does it, and left when facts are wrong."""

import random
from typing import Any

import lensfunpy
import numpy as np
import pytest

from nuvett.core.geometry.lens import LensCorrection, filling
from nuvett.imaging.facts import FileFacts
from nuvett.imaging.lens_database import correction_by, find_lens, lenses_named

SIZE = (6000, 4000)
OWN = FileFacts(camera_maker="Tidewrack", camera="Maker One", lens="Tidewrack 35 mm F2", focal=35, aperture=4)


def own(facts: FileFacts = OWN, size: tuple[int, int] = SIZE) -> LensCorrection:
    known = find_lens(facts)
    assert known is not None
    found = correction_by(known.key, facts, size)
    assert found is not None
    return found


def measured_lenses() -> list[tuple[Any, Any]]:
    """Some lenses of the database with a camera each, that all three things are known of."""
    database = lensfunpy.Database()
    found = []
    for lens in random.Random(7).sample(list(database.lenses), 400):
        camera = next(
            (c for c in database.cameras if c.mount in lens.mounts and c.crop_factor >= lens.crop_factor), None
        )
        known = lens.calib_distortion and lens.calib_tca and lens.calib_vignetting
        if camera is not None and known and lens.interpolate_vignetting(lens.min_focal, 8, 1000):
            found.append((lens, camera))
    return found[:8]


@pytest.mark.parametrize("place", range(8))
def test_places_and_light_are_those_of_the_database_s_own_library(place: int) -> None:
    lens, camera = measured_lenses()[place]
    width, height = SIZE
    stop = max(8.0, lens.min_aperture or 0)
    facts = FileFacts(camera_maker=camera.maker, camera=camera.model, focal=lens.min_focal, aperture=stop)
    ours = correction_by(f"{lens.maker}|{lens.model}|{lens.crop_factor:.3f}", facts, SIZE)
    assert ours is not None
    theirs = lensfunpy.Modifier(lens, camera.crop_factor, width, height)
    flags = lensfunpy.ModifyFlags
    theirs.initialize(
        lens.min_focal, stop, 1000, 1.0, flags=flags.DISTORTION | flags.TCA | flags.VIGNETTING, pixel_format=np.float32
    )
    y, x = np.mgrid[0:height:400, 0:width:400]
    # The library counts from the middle of one corner's pixel to that of the other's.
    shares = (x - (width - 1) / 2) / (width - 1) + 0.5, (y - (height - 1) / 2) / (height - 1) + 0.5
    bent = theirs.apply_subpixel_geometry_distortion()[::400, ::400]
    unscaled = ours.model_copy(update={"scale": 1.0})
    # Proportions that a lens was measured on are not told by the library's interface; nearly all are 3 : 2.
    places = np.empty_like(bent)
    for index, channel in enumerate(("red", "green", "blue")):
        found = unscaled.in_file(*shares, SIZE, channel)  # type: ignore[arg-type]
        places[:, :, index] = np.stack([f * (side - 1) for f, side in zip(found, SIZE, strict=True)], -1)
    assert np.abs(places - bent).max() < 0.3  # of pixels that are moved by 20 to 100
    ours_apart, theirs_apart = (all_of[:, :, ::2] - all_of[:, :, 1:2] for all_of in (places, bent))
    assert np.abs(ours_apart - theirs_apart).max() < 0.1 < np.abs(theirs_apart).max()
    light = np.ones((height, width, 3), np.float32)
    theirs.apply_color_modification(light)
    assert np.allclose(ours.light(*shares, SIZE), light[::400, ::400, 0], rtol=2e-3)


def test_the_inverse_leads_back_and_the_picture_is_filled() -> None:
    lens = own()
    assert lens.bends and lens.parts_colours and lens.darkens
    x, y = np.meshgrid(np.linspace(0, 1, 41), np.linspace(0, 1, 31))
    there = lens.in_file(x, y, SIZE)
    assert all((t > -1e-6).all() and (t < 1 + 1e-6).all() for t in there)
    assert np.abs(np.stack(lens.in_picture(*there, SIZE)) - [x, y]).max() < 1e-5
    assert max(np.abs(there[0] - x).max(), np.abs(there[1] - y).max()) > 0.005
    tighter = lens.model_copy(update={"scale": lens.scale / 1.01})
    assert max(t.max() for t in tighter.in_file(x, y, SIZE)) > 1, "no more is cut than it takes"
    turned = filling(lens, (4000, 6000))
    assert turned.scale == pytest.approx(lens.scale, abs=1e-4)


def test_a_lens_is_known_by_its_camera_and_its_own_name() -> None:
    known = find_lens(OWN)
    assert known is not None and known.title == "Tidewrack 35 mm F2"
    for facts in (FileFacts(), FileFacts(lens="Tidewrack 35 mm F2"), OWN.model_copy(update={"lens": "Pinhole"})):
        assert find_lens(facts) is None
    assert lenses_named("35 tide", OWN)[0] == known and lenses_named("no such lens", OWN) == []
    assert lenses_named("", OWN)[0] == known, "those that fit the camera come first"


@pytest.mark.parametrize(
    "wrong", [{"focal": 200.0}, {"focal": 8.0}, {"camera": "", "crop": 1.0}, {"camera": "Unheard of", "crop": 1.0}]
)
def test_facts_that_cannot_be_true_of_a_lens_undo_nothing(wrong: dict[str, Any]) -> None:
    known = find_lens(OWN)
    assert known is not None
    assert correction_by(known.key, OWN.model_copy(update=wrong), SIZE) is None
    assert correction_by("nobody|nothing|1.000", OWN, SIZE) is None


def test_a_wider_stop_is_darker_and_what_a_file_leaves_out_is_taken_as_usual() -> None:
    corner = np.zeros(1), np.zeros(1)
    wide, usual = own(OWN.model_copy(update={"aperture": 2.0})), own(OWN)
    assert wide.light(*corner, SIZE)[0] > usual.light(*corner, SIZE)[0] > 1.2
    bare = own(OWN.model_copy(update={"focal": None, "aperture": None}))
    assert bare.terms == usual.terms
