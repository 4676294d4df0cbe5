"""Frames on the bench: cached arrays, statistics, plans and renders of a series, computed from plain facts."""

from collections.abc import Callable, Hashable
from dataclasses import dataclass, replace
from typing import TypeVar

import cv2
import numpy as np

from nuvett.core.drift.drift import Drift, Yardstick, measure_drift
from nuvett.core.errors import InvalidChangeError, TruncatedFileError
from nuvett.core.fit.holds import colours_of
from nuvett.core.fit.moves import FINE
from nuvett.core.fit.plan import Aim, FramePlan, apply_plan, even_gains, even_only
from nuvett.core.fit.statistics import quantiles_of, thin
from nuvett.core.fit.suggest import PullSuggestion, suggest_pull
from nuvett.core.fit.warnings import Note, notes_on
from nuvett.core.look.look import Look
from nuvett.core.look.steps import STRAIGHT
from nuvett.core.reading.column import lightness_marks
from nuvett.core.reading.palette import Palette, find_palette
from nuvett.core.render import Cut, Pixels, Renderer
from nuvett.core.series import Measured, Pools, finished_cloud, plain_cloud, plan_in_series, plan_shared
from nuvett.core.spaces.oklab import linear_to_oklab, oklab_to_linear
from nuvett.core.spaces.rgb import Space, to_linear
from nuvett.core.spatial.finish import Finisher
from nuvett.core.table.table import USUAL_SIZE
from nuvett.core.types import Linear, OKLab, Quantiles
from nuvett.imaging.decode import Limits
from nuvett.imaging.encode import Format, encode
from nuvett.imaging.proxy import fit_within
from nuvett.services.arrays import load_array
from nuvett.services.caches import Caches
from nuvett.services.facts import Aimed, Facts, FrameFacts
from nuvett.services.originals import Originals
from nuvett.services.rendering import THREADS, Finish, finisher_of, renderer_of
from nuvett.store.blobs import BlobStore

T = TypeVar("T")
_POINT_BYTES = 24  # of a table, with what the colour library makes of it
_CLIP_BYTES = 40_000_000  # what an open clip takes, roughly: its decoder keeps some frames
PREVIEW_QUALITY, QUICK_QUALITY = 92, 85
_PALETTE_COLOURS, _PALETTE_SIZE = 512, 6
_TILE_EDGE, _TILE_POINTS = 480, 17  # small pictures come from a coarser table, which compiles seven times faster
_MOST_CROP = 2000
_DISC = 3  # pixels around a picked place that are averaged


@dataclass(frozen=True)
class Summary:
    """What is shown of a frame beside its picture.

    drift : from the target, none without one
    palette : a few colours with their shares
    tone : (65,) quantiles of its lightness
    marks : (7,) CIE L* at the shares of MARKS
    cloud : (N, 3) OKLab colours
    """

    drift: Drift | None
    palette: Palette
    tone: Quantiles
    marks: tuple[float, ...]
    cloud: OKLab


class Workbench:
    """Plans and renders frames, keeping what was computed while memory lasts. Everything is keyed by content."""

    def __init__(self, blobs: BlobStore, limits: Limits, megabytes: int) -> None:
        self.blobs, self.limits = blobs, limits
        caches = Caches(megabytes)
        self._pictures, self._facts = caches.pictures, caches.facts
        self.originals = Originals(blobs, limits)

    def sample(self, name: str) -> Linear:
        """Sample (N, 3) of a frame by its blob."""
        return self._pictures.get(("array", name), lambda: load_array(self.blobs.read(name)))

    def lab(self, name: str) -> OKLab:
        """OKLab colours of a kept linear array, by its blob."""
        return self._pictures.get((name, "lab"), lambda: linear_to_oklab(self.sample(name)))

    def clip_reader(self, name: str, make: Callable[[], T]) -> T:
        """An open clip by its blob; few are kept open at once."""
        return self._pictures.get(("clip", name), make, _CLIP_BYTES)

    def view(self, name: str, edge: int | None = None) -> Pixels:
        """8-bit view (h, w, 3) of a picture by its blob, in its own domain, scaled down to a long edge."""

        def make() -> Pixels:
            if edge is None:
                return decode_view(self.blobs.read(name))
            full = self.view(name)
            size = fit_within(full.shape[1], full.shape[0], edge)
            if size == (full.shape[1], full.shape[0]):
                return full
            return np.asarray(cv2.resize(full, size, interpolation=cv2.INTER_AREA))

        return self._pictures.get(("view", name, edge), make)

    def _aim(self, aimed: Aimed) -> tuple[Aim, Yardstick]:
        key = ("aim", aimed.target_key)
        return self._facts.get(
            key, lambda: (Aim.of(aimed.target), Yardstick.of(np.asarray(aimed.target.statistics.cloud)))
        )

    def aim(self, aimed: Aimed) -> Aim:
        """What frames are planned toward."""
        return self._aim(aimed)[0]

    def pools(self, frames: Facts, look: Look) -> Pools:
        """Pooled statistics of a series under a look's even light."""

        def make() -> Pools:
            numbers = {setup: i for i, setup in enumerate(dict.fromkeys(f.setup for f in frames))}
            return Pools.of([Measured(self.sample(f.sample), f.even, numbers[f.setup]) for f in frames], look)

        return self._facts.get(("pools", frames.key, _even_strength(look)), make)

    def plan(self, frames: Facts, index: int, aimed: Aimed) -> FramePlan:
        """Plan of one frame of a series under a look, with the frame's own trim."""
        frame = frames[index]

        def make() -> FramePlan:
            faces = colours_of(frame.faces)
            pools, aim = self.pools(frames, aimed.look), self.aim(aimed)
            plan: FramePlan = plan_in_series(pools, index, frame.even, aim, aimed.look, frame.trim, faces)
            return plan.model_copy(update={"seed": int(frame.original[:8], 16)})

        return self._facts.get(("plan", frames.key, frame.key, aimed.key), make)

    def suggested_pull(self, frames: Facts, aimed: Aimed) -> PullSuggestion:
        """The pull that suits a series under a look."""
        measured = [Measured(self.sample(f.sample), f.even, 0) for f in frames]
        return suggest_pull(measured, self.pools(frames, aimed.look), self.aim(aimed), aimed.look)

    def trim_only(self, frame: FrameFacts) -> FramePlan:
        """The plan of a frame that follows no look: its trim alone."""
        return even_only(np.ones(3, np.float32), frame.trim)

    def shared_plan(self, frames: Facts, aimed: Aimed) -> FramePlan:
        """The plan that all frames share, for a lookup table."""
        return plan_shared(self.pools(frames, aimed.look), self.aim(aimed), aimed.look)

    def summary(self, frame: FrameFacts, plan: FramePlan | None, aimed: Aimed | None) -> Summary:
        """What a wall shows of a frame under a plan, or as it came."""
        key = ("summary", frame.sample, plan.key if plan else "", aimed.target_key if aimed else "")

        def make() -> Summary:
            sample = self.sample(frame.sample)
            cloud = finished_cloud(plan, sample) if plan else plain_cloud(sample)
            tone = quantiles_of(cloud[:, 0])
            return Summary(
                drift=measure_drift(cloud, self._aim(aimed)[1]) if aimed else None,
                palette=find_palette(thin(cloud, _PALETTE_COLOURS), _PALETTE_SIZE, FINE),
                tone=tone,
                marks=tuple(lightness_marks(tone).values()),
                cloud=cloud,
            )

        return self._facts.get(key, make)

    def notes(self, frame: FrameFacts, plan: FramePlan, look: Look) -> tuple[Note, ...]:
        """What goes wrong with a frame under a plan."""
        key = ("notes", frame.sample, plan.key, look.hold)
        return self._facts.get(key, lambda: tuple(notes_on(plan, self.sample(frame.sample), frame.faces, look.hold)))

    def reference_crop(self, original: str, domain: str, box: tuple[int, int, int, int]) -> bytes:
        """PNG of x, y, width, height of a reference at full size, in sRGB."""
        pixels = self.originals.part(original, box)
        return encode(self.renderer(untouched_plan(), Space(domain)).part(pixels, *box[:2]), Format.PNG, 100)

    def remember(self, plan: FramePlan) -> str:
        """Keep a plan so that pictures under it can be asked for by its key."""
        key: str = plan.key
        self._facts.get(("known", key), lambda: plan)
        return key

    def recall(self, key: str) -> FramePlan | None:
        """A plan that was remembered, none when it has been forgotten."""
        found: FramePlan | None = self._facts.peek(("known", key))
        return found

    def renderer(self, plan: FramePlan, domain: Space, points: int = USUAL_SIZE) -> Renderer:
        """Renderer of a plan into sRGB, for screens."""
        key = ("renderer", plan.key, domain, points)
        return self._pictures.get(key, lambda: renderer_of(plan, domain, points=points), _POINT_BYTES * points**3)

    def preview(self, frame: FrameFacts, plan: FramePlan | None, edge: int, quick: bool = False) -> bytes:
        """JPEG of a frame at a long edge, under a plan or as it came; quick ones are coarser, for dragging."""
        key = ("preview", frame.view, plan.key if plan else "", edge, quick)

        def make() -> bytes:
            if plan is None and frame.domain is Space.SRGB:
                pixels = self.view(frame.view, edge)
            else:
                points = _TILE_POINTS if quick or edge <= _TILE_EDGE else USUAL_SIZE
                pixels = self.rendered(frame, plan or untouched_plan(), edge, points)
            return encode(pixels, Format.JPEG, QUICK_QUALITY if quick else PREVIEW_QUALITY)

        return self._pictures.get(key, make)

    def rendered(self, frame: FrameFacts, plan: FramePlan, edge: int, points: int, depth: int = 8) -> Pixels:
        """Pixels of a frame's view at a long edge under a plan, from a table of some points a side, 8 or 16 bit."""
        pixels = self.view(frame.view, edge)
        renderer = self.renderer(plan, frame.domain, points)
        finisher = self._finisher(frame, plan, renderer, (pixels.shape[1], pixels.shape[0]))
        return (
            renderer.finished_picture(pixels, finisher, depth, THREADS) if finisher else renderer.picture(pixels, depth)
        )

    def _finisher(
        self, frame: FrameFacts, plan: FramePlan, renderer: Renderer, size: tuple[int, int]
    ) -> Finisher | None:
        """Finisher of a frame at a size in pixels, none when nothing is done beside its colours."""
        finish = Finish.of(plan)
        return finisher_of(finish, self.view(frame.view), renderer, size) if finish else None

    def picture_of_view(self, view: str, domain: str, edge: int) -> bytes:
        """JPEG of a kept view at a long edge, in sRGB."""

        def make() -> bytes:
            pixels = self.view(view, edge)
            if Space(domain) is not Space.SRGB:
                pixels = self.renderer(untouched_plan(), Space(domain)).picture(pixels)
            return encode(pixels, Format.JPEG, PREVIEW_QUALITY)

        return self._pictures.get(("shown", view, edge), make)

    def colour_at(self, view: str, domain: str, x: float, y: float) -> tuple[float, float, float]:
        """OKLab colour of a small disc at a place given in shares of the picture. Raises ValueError outside it."""
        if not (0 <= x <= 1 and 0 <= y <= 1):
            raise ValueError("the place lies outside the picture")
        pixels = self.view(view)
        height, width = pixels.shape[:2]
        row, column = min(int(y * height), height - 1), min(int(x * width), width - 1)
        around = pixels[max(0, row - _DISC) : row + _DISC + 1, max(0, column - _DISC) : column + _DISC + 1]
        linear = to_linear((around.reshape(-1, 3) / 255).astype(np.float32), Space(domain))
        lab = linear_to_oklab(linear.mean(axis=0, keepdims=True))[0]
        return float(lab[0]), float(lab[1]), float(lab[2])

    def colour_at_place(self, view: str, domain: str, place: object) -> tuple[float, float, float]:
        """OKLab colour at a place of a request (x, y in shares). Raises InvalidChangeError outside the picture."""
        try:
            x, y = (float(v) for v in place)  # type: ignore[attr-defined]
            return self.colour_at(view, domain, x, y)
        except (TypeError, ValueError) as error:
            raise InvalidChangeError("That place lies outside the picture.") from error

    def evened_colour_at(self, frame: FrameFacts, look: Look, place: object) -> tuple[float, float, float]:
        """OKLab colour of an evened frame at a place (x, y in shares). Raises InvalidChangeError outside it."""
        lab = np.array([self.colour_at_place(frame.view, frame.domain, place)], dtype=np.float32)
        evened = apply_plan(evened_plan(frame, look), oklab_to_linear(lab))[0]
        return float(evened[0]), float(evened[1]), float(evened[2])

    def kept_render(self, key: Hashable, make: Callable[[], bytes]) -> bytes:
        """Encoded picture kept under a key while memory lasts."""
        return self._pictures.get(("kept", key), make)

    def crop(self, frame: FrameFacts, plan: FramePlan | None, box: tuple[int, int, int, int]) -> bytes:
        """PNG of x, y, width, height of the picture at full size: the pixels that a delivery has there."""
        x, y, width, height = box
        inside = self.originals.part(frame.original, box)
        used = plan or untouched_plan()
        renderer = self.renderer(used, frame.domain)
        finisher = self._finisher(frame, used, renderer, (frame.width, frame.height))
        if finisher is None:
            return encode(renderer.part(inside, x, y), Format.PNG, 100)
        left, top = max(0, x - finisher.halo), max(0, y - finisher.halo)
        right, bottom = x + width + finisher.halo, y + height + finisher.halo
        around = self.originals.part(frame.original, (left, top, right - left, bottom - top))
        inner = (slice(y - top, y - top + height), slice(x - left, x - left + width))
        return encode(renderer.finished(around, finisher, Cut(left, top, inner), 8), Format.PNG, 100)


def straight_marks(bench: Workbench, frames: Facts, index: int, aimed: Aimed) -> tuple[float, ...]:
    """CIE L* at the shares of MARKS of a frame under a look, were its master curve straight."""
    curve = aimed.look.curve.model_copy(update={"master": STRAIGHT})
    straight = replace(aimed, look=aimed.look.model_copy(update={"curve": curve}))
    plan = bench.plan(frames, index, straight)
    return bench.summary(frames[index], plan, straight).marks


def _even_strength(look: Look) -> float:
    return look.even.amount if look.even.on else 0.0


def untouched_plan() -> FramePlan:
    """The plan that changes nothing."""
    return even_only(np.ones(3, np.float32))


def box_of(text: str) -> tuple[int, int, int, int]:
    """`x,y,width,height` in whole pixels. Raises InvalidChangeError for anything else or more than is shown at once."""
    parts = text.split(",")
    if len(parts) != 4 or not all(part.isdecimal() for part in parts):
        raise InvalidChangeError("A place is given as x,y,width,height in whole pixels.")
    x, y, width, height = (int(part) for part in parts)
    if not (0 < width <= _MOST_CROP and 0 < height <= _MOST_CROP):
        raise InvalidChangeError(f"At full size at most {_MOST_CROP} pixels are shown at once.")
    return x, y, width, height


def evened_plan(frame: FrameFacts, look: Look) -> FramePlan:
    """The plan that only evens a frame's light, as strongly as a look does."""
    return even_only(np.array(even_gains(frame.even, look), np.float32), camera=frame.even.camera)


def decode_view(data: bytes) -> Pixels:
    """Pixels (h, w, 3) of a kept view, which is always a plain JPEG of our own making."""
    decoded = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_COLOR)
    if decoded is None:
        raise TruncatedFileError
    return np.asarray(cv2.cvtColor(decoded, cv2.COLOR_BGR2RGB))
