"""A series of photo files matched or evened as a whole, without a database: what the command line offers."""

import hashlib
import time
from dataclasses import dataclass
from datetime import datetime
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np

from nuvett.core.area.area import Area
from nuvett.core.drift.drift import Yardstick
from nuvett.core.even.even_light import EvenLight
from nuvett.core.even.setups import find_setups, rough_light
from nuvett.core.even.shared import Seen
from nuvett.core.even.together import even_setup
from nuvett.core.geometry.lens import LensCorrection
from nuvett.core.look.look import Look
from nuvett.core.look.trim import Trim
from nuvett.core.measure.sampling import Sample
from nuvett.core.measure.statistics import Statistics
from nuvett.core.plan.compile import compile_plan
from nuvett.core.plan.frame_plan import FramePlan
from nuvett.core.plan.light import GainsOperation
from nuvett.core.planning.framed import Seeing, weights_at
from nuvett.core.planning.part_to_part import statistics_inside
from nuvett.core.planning.planning import aim_of, area_plan, even_only
from nuvett.core.planning.series import Measured, Own, Pools, SeriesRun, drift_of, even_series, seed_of, shooting_order
from nuvett.core.planning.warnings import newly_clipped
from nuvett.core.reading.reading import Target
from nuvett.core.steps.even import EvenStep
from nuvett.core.types import OKLab
from nuvett.imaging.decode import decode
from nuvett.imaging.lens_database import usual_correction
from nuvett.imaging.opened import Limits
from nuvett.imaging.tables import format_of
from nuvett.services.files.batch import (
    Lenses,
    Outcome,
    Photo,
    Progress,
    WriteSettings,
    each,
    in_order,
    refuse_existing,
    write_table,
    write_through,
)
from nuvett.services.files.held_things import FoundThing, Thing, find_things, held_in, with_things
from nuvett.services.files.measuring import MeasuredFile, measure_file
from nuvett.services.files.rendering import LookedAt, looked_at


@dataclass(frozen=True)
class Aside:
    """What a match takes beside the photos and the look.

    trim : taken by every photo after the look
    base : picture whose light all photos are evened to; none evens each set-up to its own middle
    cube : where to write the table that all photos share (pull 0); none for no table
    things : that are brought together, and tell of light
    """

    base: Path | None = None
    cube: Path | None = None
    trim: Trim | None = None
    lenses: Lenses = Lenses.USUAL
    things: tuple[Thing, ...] = ()


def light_report(even: EvenLight) -> dict[str, float | str]:
    """Even light as reports give it: EV, percent, percent, 0 to 1, and what it rests on."""
    return {
        "exposure_ev": round(even.exposure, 4),
        "warmth": round(even.warmth, 3),
        "tint": round(even.tint, 3),
        "confidence": round(even.confidence, 3),
        "doubt_ev": round(even.doubt, 3),
        "because": even.words,
    }


def even_files(
    photos: list[Photo],
    base: Path,
    shares: tuple[float, float],
    output: WriteSettings,
    limits: Limits,
    lenses: Lenses,
    progress: Progress = lambda: None,
) -> list[Outcome]:
    """Even the light of each photo to a base picture.

    shares : of exposure and of white that are taken, 0 to 1. Raises FileError for the base.
    """
    held = measure_file(base, limits).seen
    entries, failed = _measure_all(photos, limits, lenses)
    lights = _lights_by(held, [entry.measured.seen for entry in entries], base.name)
    index = {entry.photo.path: i for i, entry in enumerate(entries)}

    def work(photo: Photo) -> Outcome:
        start = time.perf_counter()
        found, entry = lights[index[photo.path]], entries[index[photo.path]]
        plan = even_only(found.at(*shares), found.camera).through_lens(entry.lens)
        written = write_through(plan, photo, output, limits)
        report = {"even": light_report(found), **entry.report, "seconds": round(time.perf_counter() - start, 3)}
        return Outcome(photo.path, written, report)

    return in_order(each([entry.photo for entry in entries], work, progress) + failed, photos)


def _lights_by(base: Seen, seen: list[Seen], name: str) -> list[EvenLight]:
    """Even light of measured photos to a base picture, all solved together."""
    return even_setup([base, *seen], name, 0)[1:]


def drift_files(photos: list[Photo], target: Target, limits: Limits, progress: Progress) -> list[Outcome]:
    """Drift of each photo, as it is, from a target."""
    yardstick = Yardstick.of(OKLab(np.asarray(target.statistics.cloud)))

    def work(photo: Photo) -> Outcome:
        measured = measure_file(photo.path, limits, None, photo.beside)
        drift = drift_of(None, measured.sample, Seeing(measured.proportion), yardstick)
        return Outcome(photo.path, report={"drift": drift.model_dump()})

    return each(photos, work, progress)


@dataclass(frozen=True)
class _Entry:
    """A photo that was measured; lens : what it did, to be undone."""

    photo: Photo
    measured: MeasuredFile
    lens: LensCorrection | None

    @property
    def sample(self) -> Sample:
        """Its sample, with the light that the lens took."""
        header, sample = self.measured.picture.header, self.measured.sample
        return sample if self.lens is None else sample.lit(self.lens, (header.width, header.height))

    @property
    def report(self) -> dict[str, str]:
        """What is said of its lens, where something is undone."""
        return {"lens": self.lens.words} if self.lens else {}

    @property
    def taken(self) -> datetime | None:
        return self.measured.facts.taken

    @property
    def seed(self) -> int:
        with self.photo.path.open("rb") as stream:
            return seed_of(hashlib.file_digest(stream, "sha256").hexdigest())


def _measure_all(photos: list[Photo], limits: Limits, lenses: Lenses) -> tuple[list[_Entry], list[Outcome]]:
    """Measure every photo, keeping samples but no pixels; those that cannot be read are outcomes already."""
    entries: list[_Entry] = []

    def work(photo: Photo) -> Outcome:
        measured = measure_file(photo.path, limits, None, photo.beside).without_pixels()
        header = measured.picture.header
        undone = lenses is Lenses.ALL or (lenses is Lenses.USUAL and header.raw)
        lens = usual_correction(measured.facts, (header.width, header.height), undone)
        entries.append(_Entry(photo, measured, lens))
        return Outcome(photo.path)

    outcomes = each(photos, work, lambda: None)
    return entries, [o for o in outcomes if o.error]


def match_files(
    photos: list[Photo],
    target: Target | None,
    look: Look,
    output: WriteSettings,
    limits: Limits,
    aside: Aside,
    progress: Progress = lambda: None,
) -> list[Outcome]:
    """Carry a look, and a target if there is one, to a series of photo files.

    Raises OutputExistsError for the table, FileError for the base.
    """
    cube = aside.cube
    if cube is not None:
        format_of(cube)
        refuse_existing(cube, output.overwrite)
    entries, failed = _measure_all(photos, limits, aside.lenses)
    if not entries:
        return failed
    entries = [entries[i] for i in shooting_order([e.taken for e in entries], [e.photo.path.stem for e in entries])]
    seen = [e.measured.seen for e in entries]
    setups = find_setups([e.taken for e in entries], [rough_light(frame.sample, frame.exposure) for frame in seen])
    lights, found = _lights_and_things(entries, setups, limits, aside)
    measured = [
        Measured(e.sample, light, number, e.measured.proportion)
        for e, light, number in zip(entries, lights, setups, strict=True)
    ]
    pools = Pools.of(measured, look)
    runs = {number: _run_of(pools, target, look, str(number + 1)) for number in sorted(set(setups))}
    index = {entry.photo.path: i for i, entry in enumerate(entries)}

    def planned(i: int) -> tuple[FramePlan, Seeing, LookedAt | None]:
        inside = partial(_inside, entries[i], look.step(EvenStep).gains_of(lights[i]), limits)
        own = Own(lights[i], aside.trim or Trim(), entries[i].measured.faces_seen, entries[i].seed, inside)
        plan = runs[setups[i]][0].plan(i, own).through_lens(entries[i].lens)
        seen = _seen(entries[i].photo, plan, limits)
        return plan, Seeing(measured[i].proportion, seen.weights() if seen else ()), seen

    held = held_in(found, setups, lambda i: planned(i)[:2])

    def work(photo: Photo) -> Outcome:
        start, i = time.perf_counter(), index[photo.path]
        free, seeing, seen = planned(i)
        plan = held.held(i, free, entries[i].sample, seeing)
        written = write_through(plan, photo, output, limits, seen)
        told = _match_report(plan, measured[i], seeing, runs[setups[i]][1], start)
        return Outcome(photo.path, written, told | entries[i].report | held.report(i, plan, seeing))

    outcomes = each([e.photo for e in entries], work, progress)
    if cube is not None:
        everywhere, _ = _run_of(pools, target, look, "")
        write_table(cube, compile_plan(everywhere.shared()), output.overwrite)
    return in_order(outcomes + failed, photos)


def _lights_and_things(
    entries: "list[_Entry]", setups: list[int], limits: Limits, aside: Aside
) -> tuple[list[EvenLight], list[FoundThing]]:
    """Even light of measured photos, by their things where some are pointed at, and where those are seen."""
    base = measure_file(aside.base, limits).seen if aside.base is not None else None

    def lights_of(seen: list[Seen]) -> list[EvenLight]:
        if base is None or aside.base is None:
            return even_series(seen, setups)
        return _lights_by(base, seen, aside.base.name)

    seen = [entry.measured.seen for entry in entries]
    lights = lights_of(seen)
    if not aside.things:
        return lights, []
    found = find_things(aside.things, [entry.photo for entry in entries], lights, limits)
    return lights_of(with_things(seen, found)), found


def _inside(entry: _Entry, gains: GainsOperation, limits: Limits, area: Area) -> Statistics | None:
    """Statistics of a photo's evened colours in an area, none where it has no such."""
    seen = _seen(entry.photo, area_plan(area, gains), limits)
    weights = weights_at(seen.weights() if seen else (), entry.sample)
    return statistics_inside(gains.on_light(entry.sample.colours), weights[0]) if weights else None


def _run_of(pools: Pools, target: Target | None, look: Look, setup: str) -> tuple[SeriesRun, Yardstick | None]:
    """A series as frames of one set-up are planned, and what their drift is measured against."""
    own = target.alone(look.of_setup(setup).aim) if target else None
    yardstick = Yardstick.of(OKLab(np.asarray(own.statistics.cloud))) if own else None
    return SeriesRun(pools, aim_of(own) if own else None, look.in_setup(setup)), yardstick


def _seen(photo: Photo, plan: FramePlan, limits: Limits) -> LookedAt | None:
    """A photo as the areas of its plan look at it; none where there are no areas."""
    if not plan.layers:
        return None
    return looked_at(decode(photo.path, limits, None, photo.beside), [layer.area for layer in plan.layers], plan)


def _match_report(
    plan: FramePlan, frame: Measured, seeing: Seeing, yardstick: Yardstick | None, start: float
) -> dict[str, Any]:
    drifts = {}
    if yardstick is not None:
        for name, under in (("drift_before", None), ("drift_after", plan)):
            drifts[name] = drift_of(under, frame.sample, seeing, yardstick).model_dump()
    return {
        "even": light_report(frame.even),
        **drifts,
        "steepest_slope": round(plan.steepest_slope, 3),
        "newly_clipped": round(newly_clipped(frame.sample.colours, plan), 5),
        "seconds": round(time.perf_counter() - start, 3),
    }
