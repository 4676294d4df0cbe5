"""What deliveries of 24 megapixels take of cores over bare decode and encode, by what is done to the picture."""

import tempfile
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from statistics import median

import numpy as np
import pyvips

from bench.report import Table
from bench.speed import bare, large_jpeg, of_core, usual_plan
from nuvett.core.area.area import Area
from nuvett.core.area.round import RoundPart
from nuvett.core.drawing.drawing import compile_stages
from nuvett.core.geometry.lens import LensCorrection
from nuvett.core.plan.finish import GlowOperation, GrainOperation, SharpenOperation, VignetteOperation
from nuvett.core.plan.frame_plan import FramePlan, Layer
from nuvett.core.plan.light import ExposureOperation
from nuvett.core.spaces.rgb import Space
from nuvett.imaging.decode import decode
from nuvett.imaging.encode import FORMATS, Format, encode, write_developed
from nuvett.imaging.facts import FileFacts
from nuvett.imaging.lens_database import correction_by, find_lens
from nuvett.imaging.opened import Limits
from nuvett.services.files.rendering import LookedAt, looked_at, render_file

_ROUNDS = 5
_LIMITS = Limits()
_OWN = FileFacts(camera_maker="Tidewrack", camera="Maker One", lens="Tidewrack 35 mm F2", focal=35, aperture=4)
_FINISH = (
    GlowOperation(amount=0.2),
    SharpenOperation(amount=0.4),
    VignetteOperation(stops=-0.7),
    GrainOperation(amount=0.25),
)


@dataclass(frozen=True)
class _Kind:
    """A kind of delivery: what is written of which file under which plan, and what its bare decode and encode is."""

    path: Path
    plan: FramePlan
    format: Format
    aim: str

    def prepared(self) -> Callable[[], object]:
        """What the worker does for one file: what is known of a frame since it was measured is not looked for again."""
        seen = looked_at(decode(self.path, _LIMITS), [layer.area for layer in self.plan.layers], self.plan)
        weights, small = seen.weights(), seen.small()

        def deliver() -> object:
            known, depth = LookedAt(lambda: small, lambda: weights), FORMATS[self.format].depth
            made = render_file(self.path, _LIMITS, lambda own: compile_stages(self.plan, own), depth, None, known)
            return encode(made.pixels, self.format, 92, Space.SRGB, made.dpi)

        return deliver

    def bare(self) -> object:
        """The same file decoded and encoded, and nothing else."""
        if self.format is Format.JPEG:
            return bare(self.path)
        image = pyvips.Image.new_from_file(str(self.path), access="sequential")
        return image.write_to_buffer(".tif", compression="deflate", predictor="horizontal")


def _finished(plan: FramePlan) -> FramePlan:
    look = plan.group("look")
    return plan.with_group(look.model_copy(update={"operations": (*look.operations, *_FINISH)}))


def _lens() -> LensCorrection:
    known = find_lens(_OWN)
    lens = correction_by(known.key, _OWN, (6000, 4000)) if known else None
    if lens is None:
        raise SystemExit("The demo's own lens is not known.")
    return lens


def kinds_table(folder: Path) -> Table:
    """Each kind turn by turn with its bare decode and encode."""
    jpeg, tiff, plan = large_jpeg(folder), folder / "large.tif", usual_plan()
    write_developed(decode(jpeg, _LIMITS).pixels.astype(np.uint16) * 257, tiff, "a plain picture")
    area = Layer(area=Area(parts=(RoundPart(),)), operations=(ExposureOperation(exposure=-1),))
    kinds = {
        "JPEG": _Kind(jpeg, plan, Format.JPEG, "at most 1.4, better 1.25"),
        "with glow, sharpening, a vignette and grain": _Kind(jpeg, _finished(plan), Format.JPEG, "at most 2.2"),
        "with an area": _Kind(jpeg, plan.with_layer(area), Format.JPEG, "at most 1.6"),
        "with a lens undone": _Kind(jpeg, plan.through_lens(_lens()), Format.JPEG, "at most 1.7"),
        "TIFF of 16 bits": _Kind(tiff, plan, Format.TIFF16, "at most 1.7"),
    }
    works = {name: kind.prepared() for name, kind in kinds.items()}
    found: dict[str, list[tuple[float, float]]] = {name: [] for name in kinds}
    for _ in range(_ROUNDS):
        for name, kind in kinds.items():
            found[name].append((of_core(works[name]), of_core(kind.bare)))
    title = "Deliveries of 24 megapixels, seconds of a core over those of bare decode and encode"
    table = Table(title, ("kind", "s", "over bare", "aim"))
    for name, kind in kinds.items():
        over = median(own / plain for own, plain in found[name])
        table.add(name, round(median(own for own, _ in found[name]), 2), round(over, 2), kind.aim)
    return table


def run() -> list[Table]:
    """All tables."""
    with tempfile.TemporaryDirectory() as name:
        return [kinds_table(Path(name))]
