"""View models of frames on walls and in rows: picture address, palette bar, tone ribbon, drift in words."""

import re
from dataclasses import dataclass

from nuvett.services.engine.wall import WallItem
from nuvett.services.series.labels import FrameLabels
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
    left_out: bool
    beside_src: str
    beside_drift: float | None


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


def tile_of(
    slug: str, item: WallItem, labels: FrameLabels, edge: int = 400, beside: WallItem | None = None
) -> Tile | None:
    """Tile of one frame of a wall; none while that is not worked out. beside : the frame as it stands beside itself"""
    if item.shown is None or item.original is None:
        return None
    seen, other = item.shown.summary, beside.shown if beside else None
    return Tile(
        id=str(item.frame.id),
        name=labels.name,
        src=picture_address(slug, item.frame.id, item.shown.plan, edge),
        bands=palette_bands(seen.palette),
        marks=seen.marks,
        original=item.original.marks,
        drift=seen.drift.value if seen.drift else None,
        words=seen.drift.words if seen.drift else "",
        richer=seen.richer.words if seen.richer else "",
        outlier=item.outlier,
        hero=labels.hero,
        trimmed=item.frame.is_trimmed,
        favourite=labels.favourite,
        left_out=labels.left_out,
        beside_src=picture_address(slug, item.frame.id, other.plan, edge) if other else "",
        beside_drift=other.summary.drift.value if other and other.summary.drift else None,
    )
