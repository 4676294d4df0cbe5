"""View models of frames on walls and in rows: picture address, palette bar, tone ribbon, drift in words."""

from dataclasses import dataclass

from nuvett.services.wall import WallItem
from nuvett.web.instruments import Band, palette_bands


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
    outlier: bool
    hero: bool
    follows: str
    trimmed: bool
    favourite: bool
    setup: str
    variant: bool
    position: int


@dataclass(frozen=True)
class Labels:
    """What is known of a frame beside its pixels."""

    name: str
    hero: bool
    follows: str
    favourite: bool = False


def picture_address(slug: str, frame_id: object, plan_key: str, edge: int) -> str:
    """Address of a frame's picture under a plan; an empty key is the frame as it came."""
    plan = f"plan={plan_key}&" if plan_key else ""
    return f"/series/{slug}/frames/{frame_id}/picture.jpg?{plan}edge={edge}"


def tile_of(slug: str, item: WallItem, labels: Labels, position: int, edge: int = 400) -> Tile:
    """Tile of one frame of a wall, whose plan has been kept."""
    drift, plan = item.summary.drift, item.plan.key if item.plan else ""
    return Tile(
        id=str(item.frame.id),
        name=labels.name,
        src=picture_address(slug, item.frame.id, plan, edge),
        bands=palette_bands(item.summary.palette),
        marks=item.summary.marks,
        original=item.original.marks,
        drift=drift.value if drift else None,
        words=drift.words if drift else "",
        outlier=item.outlier,
        hero=labels.hero,
        follows=labels.follows,
        trimmed=item.frame.trim.acts,
        favourite=labels.favourite,
        setup=str(item.frame.setup or ""),
        variant=item.frame.id != item.frame.first,
        position=position,
    )
