"""View models of frames on walls and in rows: picture address, palette bar, tone ribbon, drift in words."""

import re
import uuid
from dataclasses import dataclass

from nuvett.services.engine.wall import WallItem
from nuvett.services.series.rows import Series
from nuvett.web.views.instruments import Band, palette_bands


@dataclass(frozen=True)
class Tile:
    """One frame as shown small. Marks are CIE L* at 2, 10, 25, 50, 75, 90 and 98 %."""

    id: str
    name: str
    src: str
    bands: list[Band]
    marks: tuple[float, ...]
    original: tuple[float, ...]
    drift: float | None
    words: str
    richer: str
    outlier: bool
    hero: bool
    trimmed: bool
    favourite: bool
    setup: str
    variant: bool
    left_out: bool
    beside_src: str
    beside_drift: float | None


@dataclass(frozen=True)
class Labels:
    """What is known of a frame beside its pixels."""

    name: str
    hero: bool
    favourite: bool = False
    left_out: bool = False


def labels_of(series: Series) -> dict[uuid.UUID, Labels]:
    """What is known of the frames of a series beside their pixels."""
    return {
        frame.id: Labels(frame.name, frame.id == series.hero_id, frame.favourite, frame.left_out)
        for frame in series.frames
    }


def short_names(names: list[str]) -> list[str]:
    """What tells frames apart in little room: the last figures of their names where those do, else their number."""
    ends = [re.search(r"(\d{1,4})\D*$", name) for name in names]
    found = [end[1][-3:] for end in ends if end]
    if len(set(found)) == len(names):
        return found
    return [str(number) for number in range(1, len(names) + 1)]


def picture_address(slug: str, frame_id: object, plan_key: str, edge: int) -> str:
    """Address of a frame's picture under a plan; an empty key is the frame as it came."""
    plan = f"plan={plan_key}&" if plan_key else ""
    return f"/series/{slug}/frames/{frame_id}/picture.jpg?{plan}edge={edge}"


def tile_of(slug: str, item: WallItem, labels: Labels, edge: int = 400, beside: WallItem | None = None) -> Tile:
    """Tile of one frame of a wall, whose plan has been kept; `beside` is the frame on the wall that stands beside."""
    drift, plan = item.summary.drift, item.plan.key if item.plan else ""
    other = beside.plan.key if beside and beside.plan else ""
    return Tile(
        id=str(item.frame.id),
        name=labels.name,
        src=picture_address(slug, item.frame.id, plan, edge),
        bands=palette_bands(item.summary.palette),
        marks=item.summary.marks,
        original=item.original.marks,
        drift=drift.value if drift else None,
        words=drift.words if drift else "",
        richer=item.summary.richer.words if item.summary.richer else "",
        outlier=item.outlier,
        hero=labels.hero,
        trimmed=item.frame.trim.acts,
        favourite=labels.favourite,
        setup=str(item.frame.setup or ""),
        variant=item.frame.id != item.frame.first,
        left_out=labels.left_out,
        beside_src=picture_address(slug, item.frame.id, other, edge) if beside else "",
        beside_drift=beside.summary.drift.value if beside and beside.summary.drift else None,
    )
