"""Whether a look leaves things their colour, holds what it is asked to hold, and says only what is so."""

from itertools import product
from typing import Literal

import numpy as np

from bench.pictures import Named, photographs, rendered, stills
from bench.report import Table
from bench.things import frames, median_colour
from bench.transfer import FULL, plan_for
from nuvett.core.even.even_light import EvenLight
from nuvett.core.look.look import Look
from nuvett.core.measure.sampling import placed_sample, stratified_sample
from nuvett.core.measure.statistics import measure
from nuvett.core.plan.apply import apply_plan
from nuvett.core.plan.frame_plan import FramePlan
from nuvett.core.planning.framed import Seeing
from nuvett.core.planning.planning import aim_of, aim_of_statistics, evened, plan_frame
from nuvett.core.planning.series import Measured, Own, Pools, SeriesRun, even_series
from nuvett.core.planning.usual import usual_look
from nuvett.core.planning.warnings import notes_on
from nuvett.core.reading.reading import Target, Weighed, blend, read
from nuvett.core.spaces.gamut import map_to_gamut
from nuvett.core.spaces.oklab import linear_to_oklab, oklab_to_linear, oklab_to_oklch
from nuvett.core.steps.hold import HoldStep
from nuvett.core.types import Floats, Linear, OKLab
from nuvett.imaging.faces import Face, faces_seen, find_faces

_COLOURED = 0.1  # OKLab chroma from which a thing counts as strongly coloured
_HUES = {"red": (0.0, 60.0), "blue": (220.0, 300.0)}
_GREYS = 64
_NEUTRAL = 0.03


def _targets() -> list[tuple[str, Target]]:
    return [(still.name, blend([Weighed(reading=read(still.proxy), tone=1, colour=1)])) for still in stills()]


def _plans(target: Target, look: Look) -> list[tuple[FramePlan, EvenLight]]:
    """Plans of all demo frames under a look, with their even light."""
    shown = frames()
    lights = even_series([frame.seen for frame in shown], [frame.setup for frame in shown])
    measured = [Measured(f.sample, e, f.setup) for f, e in zip(shown, lights, strict=True)]
    pools, aim = Pools.of(measured, look), aim_of(target)
    return [
        (SeriesRun(pools, aim, look).plan(i, Own(light, faces=faces_seen(shown[i].faces))), light)
        for i, light in enumerate(lights)
    ]


def things_kept() -> Table:
    """Chroma and hue that strongly coloured things keep under the usual look, and how far greys step in tint."""
    columns = (
        "still",
        "red and blue things",
        "chroma kept, median",
        "10 %",
        "hue turned, median",
        "90 %",
        "grey C, median",
    )
    table = Table("Things keep their colour, demo frames under the usual look", columns)
    for name, target in _targets():
        look = Look() if usual_look(target).mono.on else usual_look(target)
        kept, turned, grey = [], [], []
        for frame, (plan, light) in zip(frames(), _plans(target, look), strict=True):
            for pixels in frame.things.values():
                colour = median_colour(pixels)
                before = oklab_to_oklch(linear_to_oklab(evened(colour, light, look)))[0]
                after = oklab_to_oklch(linear_to_oklab(Linear(map_to_gamut(apply_plan(plan, colour)))))[0]
                if before[1] > _COLOURED and any(low <= before[2] < high for low, high in _HUES.values()):
                    kept.append(after[1] / before[1])
                    turned.append(abs((after[2] - before[2] + 180) % 360 - 180))
                elif before[1] < _NEUTRAL:
                    grey.append(after[1])
        values = (np.median(kept), np.quantile(kept, 0.1), np.median(turned), np.quantile(turned, 0.9), np.median(grey))
        table.add(name, len(kept), *(round(float(v), 3) for v in values))
    return table


def _tint_steps(plan: FramePlan) -> float:
    """Mean change of tint per lightness along the greys."""
    ramp = np.linspace(0.1, 0.95, _GREYS, dtype=np.float32)
    grey = oklab_to_linear(OKLab(np.stack([ramp, 0 * ramp, 0 * ramp], axis=1)))
    lab = apply_plan(plan.model_copy(update={"gains": (1.0, 1.0, 1.0)}), grey)
    return float((np.linalg.norm(np.diff(lab[:, 1:], axis=0), axis=1) / np.diff(ramp)).mean())


def tint_steps() -> Table:
    """Steps of tint on greys: usual look and full strength, on photographs and rendered frames."""
    table = Table("Tint steps on greys: change of a, b per lightness, mean", ("look", "photographs", "rendered frames"))
    for name, look in (("usual", Look()), ("full strength", FULL)):
        row = []
        for pictures in (photographs(), rendered()):
            steps = [
                _tint_steps(plan_for(Linear(p.proxy.reshape(-1, 3)), Linear(still.proxy.reshape(-1, 3)), look))
                for p in pictures
                for still in stills()
            ]
            row.append(round(float(np.mean(steps)), 3))
        table.add(name, *row)
    return table


def _taken_back(free: FramePlan, held: FramePlan, sample: Linear) -> tuple[float, float | None]:
    """Share of a look's movement that a hold takes back, of all colours (N, 3) and of neutral ones."""
    lab = linear_to_oklab(sample)
    moved = np.linalg.norm(apply_plan(free, sample) - lab, axis=1)
    back = np.linalg.norm(apply_plan(held, sample) - apply_plan(free, sample), axis=1)
    calm = np.hypot(lab[:, 1], lab[:, 2]) < _NEUTRAL
    return float(back.sum() / moved.sum()), float(back[calm].sum() / moved[calm].sum()) if calm.any() else None


def _outside(proxy: Floats, faces: list[Face]) -> Linear:
    """Pixels (N, 3) outside the boxes of faces."""
    height, width = proxy.shape[:2]
    free = np.ones((height, width), dtype=bool)
    for face in faces:
        rows = slice(max(0, int(face.y * height)), int((face.y + face.height) * height) + 1)
        free[rows, max(0, int(face.x * width)) : int((face.x + face.width) * width) + 1] = False
    pixels = proxy[free]
    return Linear(pixels[:: max(1, len(pixels) // 4096)])


def holds() -> Table:
    """Share of a full-strength look that holding skin takes back outside faces, by where skin is held."""
    columns = ("skin held", "pictures", "all colours, median", "neutrals, median", "all colours, mean")
    table = Table("Hold of skin: look taken back outside faces, % of its movement, 4 stills", columns)
    seen = [(frame.proxy, frame.faces) for frame in frames()] + [(p.proxy, find_faces(p.proxy)) for p in photographs()]
    free = FULL.model_copy(update={"hold": HoldStep(on=False)})
    ways: tuple[tuple[str, Literal["faces", "everywhere"], bool], ...] = (
        ("where a face is found, the usual", "faces", True),
        ("where a face is found, in pictures without one", "faces", False),
        ("everywhere, in pictures without a face", "everywhere", False),
    )
    for name, where, with_face in ways:
        held = FULL.model_copy(update={"hold": HoldStep(on=True, where=where)})
        chosen = [(proxy, faces) for proxy, faces in seen if bool(faces) is with_face]
        found = []
        for (proxy, faces), still in product(chosen, stills()):
            plans = _plan(proxy, still, free, faces), _plan(proxy, still, held, faces)
            found.append(_taken_back(plans[0], plans[1], _outside(proxy, faces)))
        every, neutral = [f[0] for f in found], [f[1] for f in found if f[1] is not None]
        values = (np.median(every), np.median(neutral), np.mean(every))
        table.add(name, len(chosen), *(round(100 * float(v), 1) for v in values))
    return table


def faces_found() -> Table:
    """Faces of the demo found at the score that notes use, and pots taken for one; photographs beside."""
    table = Table("Faces found", ("pictures", "with a face found", "without a face, yet one found"))
    with_face = [frame for frame in frames() if any(name.endswith("potter_head") for name in frame.things)]
    others = [frame for frame in frames() if frame not in with_face]
    found, wrong = (sum(bool(frame.faces) for frame in some) for some in (with_face, others))
    table.add("demo frames", f"{found} of {len(with_face)}", f"{wrong} of {len(others)}")
    people = [p for p in photographs() if p.name == "astronaut"]
    rest = [p for p in photographs() if p.name != "astronaut"]
    found, wrong = (sum(bool(find_faces(p.proxy)) for p in some) for some in (people, rest))
    table.add("photographs", f"{found} of {len(people)}", f"{wrong} of {len(rest)}")
    return table


def notes_right() -> Table:
    """Notes of skin under full-strength looks without a hold: on faces, and on pictures without anybody."""
    table = Table("Notes of skin under full-strength looks", ("pictures", "noted", "wrongly noted"))
    look = FULL.model_copy(update={"hold": HoldStep(on=False)})
    people = {frame.name for frame in frames() if any(name.endswith("potter_head") for name in frame.things)}
    pictures = [(f.name, f.proxy, f.faces) for f in frames()]
    pictures += [(p.name, p.proxy, find_faces(p.proxy)) for p in photographs()]
    right = wrong = somebody = nobody = 0
    for name, proxy, faces in pictures:
        sample = placed_sample(proxy)
        seen = faces_seen(faces)
        for still in stills():
            plan = _plan(proxy, still, look, faces)
            noted = any(note.kind == "skin" for note in notes_on(plan, sample, Seeing(), seen))
            if name in people or name == "astronaut":
                right, somebody = right + noted, somebody + 1
            else:
                wrong, nobody = wrong + noted, nobody + 1
    table.add("with a person", f"{right} of {somebody}", "")
    table.add("without", "", f"{wrong} of {nobody}")
    return table


def _plan(proxy: Floats, still: Named, look: Look, faces: list[Face]) -> FramePlan:
    statistics = measure(linear_to_oklab(stratified_sample(Linear(proxy))))
    aim = aim_of_statistics(measure(linear_to_oklab(stratified_sample(still.proxy))))
    return plan_frame(statistics, aim, look, faces=faces_seen(faces))


def run() -> list[Table]:
    """All of them."""
    return [things_kept(), tint_steps(), holds(), faces_found(), notes_right()]
