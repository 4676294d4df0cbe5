"""What is known of lenses: found by the facts of a file, or by name, and turned into a correction in plain numbers."""

from collections.abc import Iterable
from dataclasses import dataclass
from functools import cache
from importlib.resources import as_file, files
from typing import Any

import lensfunpy

from nuvett.core.geometry.lens import NO_TERMS, PLAIN, LensCorrection, Terms, filling
from nuvett.imaging.facts import FileFacts

_USUAL_ASPECT = 1.5  # that lenses are measured on where the database does not say
_MAX_OFF = 1.05  # of a focal length beyond the range of a lens, by which facts are still believed
_FAR, _MAX_NAMES = 1000.0, 40
_MIDDLE_STOP = 8.0


@dataclass(frozen=True)
class KnownLens:
    """A lens of the database. key : names it; title : for people."""

    key: str
    title: str


@cache
def _database() -> lensfunpy.Database:
    with as_file(files("nuvett.imaging") / "lenses" / "tidewrack.xml") as path:
        return lensfunpy.Database(paths=[str(path)])


@cache
def _by_key() -> dict[str, lensfunpy.Lens]:
    return {_key(lens): lens for lens in _database().lenses if lens.calib_distortion or lens.calib_vignetting}


def _key(lens: lensfunpy.Lens) -> str:
    return f"{lens.maker}|{lens.model}|{lens.crop_factor:.3f}"


def _known(lens: lensfunpy.Lens) -> KnownLens:
    title = lens.model if lens.maker.lower() in lens.model.lower() else f"{lens.maker} {lens.model}"
    return KnownLens(_key(lens), title)


def _camera(facts: FileFacts) -> lensfunpy.Camera | None:
    found = _database().find_cameras(facts.camera_maker, facts.camera) if facts.camera else []
    return found[0] if found else None


def find_lens(facts: FileFacts) -> KnownLens | None:
    """The lens that a file says it was taken with; none where it says nothing that is known, or not just one."""
    camera = _camera(facts)
    if camera is None:
        return None
    if facts.lens:
        lenses = _database().find_lenses(camera, facts.lens_maker or None, facts.lens)
    else:
        lenses = _database().find_lenses(camera)  # a camera whose lens is fixed has one alone
        lenses = lenses if len(lenses) == 1 else []
    named = [lens for lens in lenses if _key(lens) in _by_key()]
    return _known(named[0]) if named else None


def lenses_named(text: str, facts: FileFacts) -> list[KnownLens]:
    """Lenses whose names hold some words, those that fit the camera first."""
    words = text.lower().split()
    camera = _camera(facts)
    fits = {_key(lens) for lens in _database().find_lenses(camera)} if camera else set()
    found = [
        (key not in fits, _known(lens))
        for key, lens in _by_key().items()
        if all(word in f"{lens.maker} {lens.model}".lower() for word in words)
    ]
    return [lens for _, lens in sorted(found, key=lambda one: (one[0], one[1].title))][:_MAX_NAMES]


def correction_by(key: str, facts: FileFacts, size: tuple[int, int]) -> LensCorrection | None:
    """How to undo what a lens did to a frame of a size; none for a lens that cannot have taken it, or does nothing.

    Where the file does not say the focal length it is the lens's shortest; the aperture a middle one.
    """
    lens = _by_key().get(key)
    if lens is None:
        return None
    focal = facts.focal or lens.min_focal
    if not lens.min_focal / _MAX_OFF <= focal <= lens.max_focal * _MAX_OFF:
        return None
    camera = _camera(facts)
    crop = camera.crop_factor if camera else facts.crop or lens.crop_factor
    if crop < lens.crop_factor * 0.96:  # the picture is wider than what was measured of the lens
        return None
    distortion = lens.interpolate_distortion(focal) if lens.calib_distortion else None
    fringes = lens.interpolate_tca(focal) if lens.calib_tca else None
    aperture = max(facts.aperture or _MIDDLE_STOP, lens.min_aperture or 0)
    dark = lens.interpolate_vignetting(focal, aperture, facts.distance or _FAR) if lens.calib_vignetting else None
    red, blue = _fringes(fringes)
    # The database's unit is half the short side of the picture that the lens was measured on, by its diagonal; for
    # light, half the diagonal.
    proportion = max(size) / min(size)
    shrunk = lens.crop_factor / crop * ((_USUAL_ASPECT**2 + 1) / (proportion**2 + 1)) ** 0.5
    made = LensCorrection(
        name=_known(lens).title,
        model=distortion.model.name.lower() if distortion else "none",
        terms=_three(distortion.terms) if distortion else NO_TERMS,
        red=red,
        blue=blue,
        dark=_three(dark.terms) if dark else NO_TERMS,
        unit=1 / shrunk,
        dark_unit=(proportion**2 + 1) ** 0.5 * crop / lens.crop_factor,
    )
    return filling(made, size) if made.bends else made if made.darkens else None


def usual_correction(facts: FileFacts, size: tuple[int, int], raw: bool) -> LensCorrection | None:
    """How to undo what the lens that a file names did to it, of a size, where that is usual: in raw files.

    Cameras mostly do that to their own pictures themselves, and twice is wrong.
    """
    known = find_lens(facts) if raw else None
    return correction_by(known.key, facts, size) if known else None


def _three(terms: Iterable[float]) -> Terms:
    a, b, c = (float(term) for term in list(terms)[:3])
    return a, b, c


def _fringes(found: Any) -> tuple[Terms, Terms]:
    if found is None:
        return PLAIN, PLAIN
    terms = [float(term) for term in found.terms]
    if found.model.name == "LINEAR":
        return (terms[0], 0.0, 0.0), (terms[1], 0.0, 0.0)
    return (terms[0], terms[2], terms[4]), (terms[1], terms[3], terms[5])
