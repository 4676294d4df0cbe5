"""What deliveries of 24 megapixels take of cores over bare decode and encode, by what is done to the picture."""

import tempfile
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from statistics import median

import numpy as np
import pyvips

from bench.cameras import own_lens
from bench.report import Table
from bench.speed import bare, large_jpeg, prepared, usual_plan
from nuvett.core.area.area import Area
from nuvett.core.area.round import RoundPart
from nuvett.core.plan.finish import GlowOperation, GrainOperation, SharpenOperation, VignetteOperation
from nuvett.core.plan.frame_plan import FramePlan, Layer
from nuvett.core.plan.light import ExposureOperation
from nuvett.imaging.decode import decode
from nuvett.imaging.encode import Format, write_developed
from nuvett.imaging.opened import Limits

_ROUNDS = 5
_LIMITS = Limits()
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

    def bare(self) -> object:
        """The same file decoded and encoded, and nothing else."""
        if self.format is Format.JPEG:
            return bare(self.path)
        image = pyvips.Image.new_from_file(str(self.path), access="sequential")
        return image.write_to_buffer(".tif", compression="deflate", predictor="horizontal")


def _of_core(work: Callable[[], object]) -> float:
    """Seconds that a call takes of cores, whichever threads work for it."""
    start = time.process_time()
    work()
    return time.process_time() - start


def _finished(plan: FramePlan) -> FramePlan:
    look = plan.group("look")
    return plan.with_group(look.model_copy(update={"operations": (*look.operations, *_FINISH)}))


def kinds_table(folder: Path) -> Table:
    """Each kind turn by turn with its bare decode and encode."""
    jpeg, tiff, plan = large_jpeg(folder), folder / "large.tif", usual_plan()
    write_developed(decode(jpeg, _LIMITS).pixels.astype(np.uint16) * 257, tiff, "a plain picture")
    area = Layer(area=Area(parts=(RoundPart(),)), operations=(ExposureOperation(exposure=-1),))
    kinds = {
        "JPEG": _Kind(jpeg, plan, Format.JPEG, "at most 1.4, better 1.25"),
        "with glow, sharpening, a vignette and grain": _Kind(jpeg, _finished(plan), Format.JPEG, "at most 2.2"),
        "with an area": _Kind(jpeg, plan.with_layer(area), Format.JPEG, "at most 1.6"),
        "with a lens undone": _Kind(jpeg, plan.through_lens(own_lens()), Format.JPEG, "at most 1.7"),
        "TIFF of 16 bits": _Kind(tiff, plan, Format.TIFF16, "at most 1.7"),
    }
    works = {name: prepared(kind.path, kind.plan, kind.format) for name, kind in kinds.items()}
    found: dict[str, list[tuple[float, float]]] = {name: [] for name in kinds}
    for _ in range(_ROUNDS):
        for name, kind in kinds.items():
            found[name].append((_of_core(works[name]), _of_core(kind.bare)))
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
