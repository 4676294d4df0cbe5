"""View models of frames on walls and in rows: picture address, palette bar, tone ribbon, drift in words."""

from dataclasses import dataclass

from nuvett.services.wall import WallItem
from nuvett.services.workbench import Workbench
from nuvett.web.instruments import Band, palette_bands


@dataclass(frozen=True)
class Tile:
    """One frame as shown small. Marks are CIE L* at 2, 10, 25, 50, 75, 90 and 98 %."""

    id: str
    name: str
    src: str
    large: str
    bands: list[Band]
    marks: tuple[float, ...]
    original: tuple[float, ...]
    drift: float | None
    words: str
    outlier: bool
    hero: bool
    follows: str
    trimmed: bool
    position: int


@dataclass(frozen=True)
class Labels:
    """What is known of a frame beside its pixels."""

    name: str
    hero: bool
    follows: str


def picture_address(slug: str, frame_id: object, plan_key: str, edge: int) -> str:
    """Address of a frame's picture under a plan; an empty key is the frame as it came."""
    plan = f"plan={plan_key}&" if plan_key else ""
    return f"/series/{slug}/frames/{frame_id}/picture.jpg?{plan}edge={edge}"


def tile_of(bench: Workbench, slug: str, item: WallItem, labels: Labels, position: int, edge: int = 400) -> Tile:
    """Tile of one frame of a wall."""
    drift, plan = item.summary.drift, bench.remember(item.plan) if item.plan else ""
    return Tile(
        id=str(item.frame.id),
        name=labels.name,
        src=picture_address(slug, item.frame.id, plan, edge),
        large=picture_address(slug, item.frame.id, plan, 1280),
        bands=palette_bands(item.summary.palette),
        marks=item.summary.marks,
        original=item.original.marks,
        drift=drift.value if drift else None,
        words=drift.words if drift else "",
        outlier=item.outlier,
        hero=labels.hero,
        follows=labels.follows,
        trimmed=not item.frame.trim.is_none,
        position=position,
    )
