"""What a look was made on: cameras, and whether its frames were raw; said where it is used on others."""

from sqlalchemy import select
from sqlalchemy.orm import Session

from nuvett.core.book.kept import MadeOn
from nuvett.imaging.facts import FileFacts
from nuvett.services.series.companions import RAW
from nuvett.store import models

_MAX_CAMERAS, _MOSTLY = 4, 0.5


def made_on(session: Session, series: models.SeriesRow) -> MadeOn | None:
    """What the measured frames of a series are, cameras in the order of shooting; none without any."""
    rows = session.execute(
        select(models.FrameRow.format, models.FrameRow.shot)
        .where(models.FrameRow.series_id == series.id, models.FrameRow.state == "ready")
        .order_by(models.FrameRow.position)
    ).all()
    if not rows:
        return None
    shots = [FileFacts.model_validate(shot or {}) for _, shot in rows]
    cameras = dict.fromkeys(" ".join(dict.fromkeys(f"{s.camera_maker} {s.camera}".split())) for s in shots)
    named = tuple(camera for camera in cameras if camera)[:_MAX_CAMERAS]
    return MadeOn(cameras=named, raw=sum(kind == RAW for kind, _ in rows) > _MOSTLY * len(rows))


def differing(made: MadeOn | None, here: MadeOn | None) -> str:
    """What is said where a look is used on frames of another kind; empty where there is nothing to say."""
    if made is None or here is None:
        return ""
    said = []
    if made.cameras and here.cameras and not set(made.cameras) & set(here.cameras):
        said.append(f"made on {', '.join(made.cameras)}, these are of {', '.join(here.cameras)}")
    if made.raw != here.raw:
        kinds = ("finished pictures", "raw files")
        said.append(f"made on {kinds[made.raw]}, these are {kinds[here.raw]}")
    return "; ".join(said)
