"""Areas and geometry: what they add to a delivery, how quickly a handle follows, seams, edges, and the subject."""

import json
import tempfile
from collections.abc import Iterator
from dataclasses import dataclass, replace
from pathlib import Path
from statistics import median

import cv2
import numpy as np
import skimage

from bench.pictures import DEMO, load
from bench.report import Table
from bench.speed import demo_workbench, large_jpeg, prepared, timed, usual_plan
from nuvett.core.area.area import Area
from nuvett.core.area.brush import BrushPart, Stroke
from nuvett.core.area.part import AreaPart
from nuvett.core.area.person import PersonPart
from nuvett.core.area.round import RoundPart
from nuvett.core.area.scene import Found
from nuvett.core.area.skin import SkinPart
from nuvett.core.area.sky import SkyPart
from nuvett.core.area.straight import StraightPart
from nuvett.core.area.subject import SubjectPart
from nuvett.core.area.weights import weigh
from nuvett.core.drawing.drawing import Drawing, compile_stages
from nuvett.core.drawing.renderer import in_floats
from nuvett.core.drawing.resampling import Resampling
from nuvett.core.drawing.weighing import scene_of, weigh_layers
from nuvett.core.geometry.geometry import Geometry, Placing
from nuvett.core.geometry.proposals import propose
from nuvett.core.guided import encoded_luminance
from nuvett.core.look.local import Local
from nuvett.core.look.trim import Trim
from nuvett.core.plan.frame_plan import FramePlan, Layer
from nuvett.core.plan.light import ExposureOperation, GainsOperation
from nuvett.core.planning.planning import skin_seen
from nuvett.core.spaces.cielab import ciede2000, linear_to_cielab
from nuvett.core.spaces.rgb import Space, to_linear
from nuvett.core.steps.exposure import ExposureStep
from nuvett.core.types import Encoded01
from nuvett.imaging.faces import faces_seen, find_faces
from nuvett.imaging.person import find_people
from nuvett.imaging.proxy import measuring_proxy
from nuvett.imaging.sky import find_sky
from nuvett.imaging.subject import find_subject

_ROUNDS = 7
_DARKER = (ExposureOperation(exposure=-1),)
_STROKE = Stroke(points=tuple((0.2 + 0.006 * i, 0.35 + 0.08 * float(np.sin(i / 6)), 1.0) for i in range(100)))
_HEADS = ("potter_head", "potter_hair", "potter_bun")


def _layered(plan: FramePlan, part: AreaPart, edges: bool = False) -> FramePlan:
    layer = Layer(area=Area(parts=(part,), edges=edges), operations=_DARKER)
    return plan.model_copy(update={"layers": (layer,)})


def delivery_table(folder: Path, plan: FramePlan) -> Table:
    """What areas and geometry add to the delivery of a 24-megapixel JPEG, turn by turn with the one without."""
    path = large_jpeg(folder)
    plans = {
        "a round area": (_layered(plan, RoundPart()), 15),
        "a brushed area": (_layered(plan, BrushPart(strokes=(_STROKE,))), 25),
        "the subject, its map kept": (_layered(plan, SubjectPart(), edges=True), 35),
        "straightened by 2 degrees": (plan.model_copy(update={"geometry": Geometry(straighten=2)}), 40),
    }

    bare = prepared(path, plan)
    works = {name: prepared(path, own) for name, (own, _) in plans.items()}
    found: dict[str, list[float]] = {name: [] for name in works}
    for _ in range(_ROUNDS):
        alone = timed(bare, 1)
        for name, work in works.items():
            found[name].append(timed(work, 1) / alone - 1)
    table = Table("What areas and geometry add to a delivery of 24 megapixels, %", ("with", "more", "aim at most"))
    for name, (_, aim) in plans.items():
        table.add(name, round(100 * median(found[name])), aim)
    return table


def dragging_table(folder: Path) -> Table:
    """A handle dragged: document to JPEG at 1280 pixels, as the server does it while something moves and at rest."""
    bench, frames = demo_workbench(folder, 1)
    places = iter(np.linspace(0.2, 0.8, 200))

    def drawn(quick: bool) -> bytes:
        area = Area(parts=(RoundPart(x=float(next(places)), soft=80),))
        own = frames.with_trim(0, Trim(areas=(Local(area=area).with_step(ExposureStep(exposure=-1)),)))
        return bench.pictures.preview(own[0], bench.planner.trim_only(own[0]), 1280, quick)

    table = Table("An area's handle dragged, 1280 pixels, ms", ("picture", "ms", "aim"))
    table.add("while it moves", round(1000 * timed(lambda: drawn(True)), 1), "under 80")
    table.add("at rest", round(1000 * timed(lambda: drawn(False)), 1), "under 80")
    return table


def seam_table() -> Table:
    """Largest gradient of a smooth picture under a soft area against that of the steps alone, and of weights apart."""
    table = Table("Seams of soft areas, and places that agree", ("measure", "value", "aim"))
    worst = 0.0
    everywhere = Layer(area=Area(parts=(StraightPart(x=0, y=2, end_x=0, end_y=3),)), operations=_DARKER)
    for name in ("AT-0101", "AT-0107", "AT-0115"):
        pixels = cv2.GaussianBlur(load(DEMO / "frames" / f"{name}.jpg"), (0, 0), 4)  # without the edges of things
        alone = _gradient(FramePlan(layers=(everywhere,)), pixels)
        for part in (RoundPart(soft=100, across=25, down=25), StraightPart(x=0.3, end_x=0.7, y=0.5, end_y=0.5)):
            worst = max(worst, _gradient(_layered(FramePlan(), part), pixels) / alone)
    table.add("gradient, times that of the steps alone", round(worst, 2), "at most 2")
    picture = load(DEMO / "frames" / "AT-0102.jpg")
    plan = _layered(FramePlan(), RoundPart(soft=40), edges=True)
    own = (picture.shape[1], picture.shape[0])
    (area,) = weigh_layers(plan, scene_of(lambda: picture, own, Space.SRGB, plan))
    luminance = encoded_luminance(in_floats(picture))
    whole = area.part((0, 0, *own), own, luminance)
    box = (317, 203, 256, 199)
    crop = area.part(box, own, luminance[203:402, 317:573])
    resampling = Resampling(Geometry().placed(own), own, own)
    looked_up = area.at(*resampling.places((0, 0, *own)), luminance)
    table.add(
        "weights of a crop and the whole, apart by at most, of 255",
        round(255 * float(np.abs(whole[203:402, 317:573] - crop).max()), 3),
        1,
    )
    table.add("looked up by place and by rows, of 255", round(255 * float(np.abs(whole - looked_up).max()), 3), 1)
    table.add("an edge turned 7.3 degrees and back, CIEDE2000 at most", round(_turned_and_back(), 2), 1.5)
    return table


def _gradient(plan: FramePlan, pixels: np.ndarray) -> float:
    """Largest step between neighbours of a picture under a plan, in codes of 8 bits."""
    own = (pixels.shape[1], pixels.shape[0])
    scene = scene_of(lambda: pixels, own, Space.SRGB, plan)
    made = Drawing(compile_stages(plan), own, pixels, weigh_layers(plan, scene)).picture(pixels, 16)
    light = made.astype(np.float32) / 257
    return float(max(np.abs(np.diff(light, axis=axis)).max() for axis in (0, 1)))


def _turned_and_back() -> float:
    width, height, fine = 600, 400, 8
    ys, xs = np.mgrid[0 : height * fine, 0 : width * fine] / fine
    dark = ((ys - height / 2) * np.cos(0.2) + (xs - width / 2) * np.sin(0.2) < 0).astype(np.float32)
    edge = cv2.GaussianBlur(cv2.resize(dark, (width, height), interpolation=cv2.INTER_AREA), (0, 0), 0.7)
    picture = np.repeat(np.rint(60 + 130 * edge)[..., None], 3, axis=2).astype(np.uint8)
    size = (width, height)

    def turn(pixels: np.ndarray, degrees: float) -> np.ndarray:
        placing = Placing(Geometry(straighten=degrees).whole(size).matrix, size, size)
        resampling = Resampling(placing, size, size)
        return np.rint(resampling.drawn(pixels, (0, 0), (0, 0, *size)) * 255).astype(np.uint8)

    back = turn(turn(picture, 7.3), -7.3)
    lab = [
        linear_to_cielab(to_linear(Encoded01((p[120:280, 150:450] / 255).astype(np.float32)))) for p in (picture, back)
    ]
    return float(ciede2000(*lab).max())


@dataclass(frozen=True)
class _Potter:
    """A demo frame with the potter in it: its pixels, what is known of its things, and whether she is at work."""

    pixels: np.ndarray
    seen: np.ndarray
    names: dict[int, str]
    at_work: bool

    def there(self, *ends: str) -> np.ndarray:
        """Where (h, w) things of some names are."""
        return np.isin(self.seen, [code for code, name in self.names.items() if name in ends])

    @property
    def held(self) -> tuple[str, ...]:
        return tuple(name for name in self.names.values() if name.rpartition("_")[0] in ("bat", "wetpot"))

    @property
    def own(self) -> tuple[str, ...]:
        return tuple(name for name in self.names.values() if name.startswith("potter"))


def _potters() -> Iterator[_Potter]:
    """Demo frames with one clear subject, the potter."""
    known = json.loads((DEMO / "things" / "things.json").read_text())
    for name, things in known.items():
        names = {int(code): thing.split("/")[-1] for code, thing in things.items()}
        seen = np.asarray(cv2.imread(str(DEMO / "things" / f"{name}.png"), cv2.IMREAD_GRAYSCALE))
        potter = _Potter(load(DEMO / "frames" / f"{name}.jpg"), seen, names, False)
        if potter.own and potter.there(*_HEADS).mean() > 0.01:
            yield replace(potter, at_work=bool(potter.held))


def _covers(potter: _Potter, part: AreaPart, truth: np.ndarray) -> float:
    """Intersection over union of a part of an area, as it is drawn, with where a thing is (h, w)."""
    pixels = potter.pixels
    faces = skin_seen(faces_seen(find_faces(measuring_proxy(pixels, Space.SRGB))), GainsOperation())
    own = (pixels.shape[1], pixels.shape[0])
    found = Found(lambda: find_subject(pixels), lambda: find_people(pixels))
    scene = scene_of(lambda: pixels, own, Space.SRGB, FramePlan(), found)
    weight = weigh(Area(parts=(part.told(faces),)), scene).values
    on = cv2.resize(weight, truth.shape[::-1], interpolation=cv2.INTER_AREA) > 0.5
    return float((on & truth).sum() / (on | truth).sum())


def subject_table() -> Table:
    """The subject and parts of people against the demo's known things: intersection over union."""
    found: dict[str, list[float]] = {}
    for potter in _potters():
        words = "the potter at work" if potter.at_work else "head and shoulders"
        whole = potter.there(*potter.own, *potter.held)
        found.setdefault(f"the subject, {words}", []).append(_covers(potter, SubjectPart(), whole))
        for part, ends in _PEOPLE.items():
            if faces_seen(find_faces(measuring_proxy(potter.pixels, Space.SRGB))):
                found.setdefault(part, []).append(_covers(potter, ends[0], potter.there(*ends[1])))
    table = Table("Areas that are found, intersection over union", ("area", "count", "mean", "least", "aim"))
    aims = {"the subject, head and shoulders": "at least 0.9", "skin, of arms and face": "at least 0.7"}
    for words, shares in found.items():
        aim = aims.get(words, "at least 0.8" if words.startswith("the subject") else "")
        table.add(words, len(shares), round(float(np.mean(shares)), 2), round(min(shares), 2), aim)
    return table


def sky_table() -> Table:
    """Frames in which a sky is found: rooms, which have none, and photographs that a package ships, which have one."""
    folders = {"demo frames": DEMO / "frames", "changed viewpoints": DEMO / "viewpoints" / "frames"}
    table = Table("Skies found", ("pictures", "count", "found", "aim"))
    for words, folder in folders.items():
        shown = [load(path) for path in sorted(folder.glob("*.jpg"))]
        table.add(words, len(shown), sum(_has_sky(pixels) for pixels in shown), "none")
    with_one = [load(Path(skimage.__file__).parent / "data" / name) for name in ("rocket.jpg", "camera.png")]
    table.add("two of the skies it was made from", len(with_one), sum(_has_sky(pixels) for pixels in with_one), "all")
    return table


def _has_sky(pixels: np.ndarray) -> bool:
    own = (pixels.shape[1], pixels.shape[0])
    found = Found(sky=lambda: find_sky(pixels))
    return SkyPart().finds(scene_of(lambda: pixels, own, Space.SRGB, FramePlan(), found), ())


_PEOPLE: dict[str, tuple[AreaPart, tuple[str, ...]]] = {
    "skin, of arms and face": (SkinPart(of="all"), ("potter_arml", "potter_armr", "potter_head")),
    "hair": (PersonPart(of="hair"), ("potter_hair", "potter_bun")),
    "clothes": (PersonPart(of="clothes"), ("potter_apron", "potter_shirt")),
}


def proposal_table() -> Table:
    """Level frames that would be straightened, and how far a tilt that was put in is found back."""
    level, off = 0, []
    paths = sorted((DEMO / "frames").glob("*.jpg"))
    for path in paths:
        pixels = load(path)
        own = (pixels.shape[1], pixels.shape[0])
        level += propose(encoded_luminance(in_floats(pixels))).straighten is not None
        tilted = Geometry(straighten=-3).placed(own)
        resampling = Resampling(tilted, tilted.size, own)
        turned = resampling.drawn(pixels, (0, 0), (0, 0, *tilted.size))
        found = propose(encoded_luminance(turned)).straighten
        if found is not None:
            off.append(abs(found - 3))
    table = Table("Straightening proposed, 36 level demo frames and the same tilted by 3 degrees", ("measure", "value"))
    table.add("level frames that would be straightened", level)
    table.add("tilted frames with a proposal", len(off))
    table.add("of those, off by at most half a degree", sum(v <= 0.5 for v in off))
    return table


def run() -> list[Table]:
    """All tables."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        tables = [delivery_table(folder, usual_plan()), dragging_table(folder)]
    return [*tables, seam_table(), subject_table(), sky_table(), proposal_table()]
