"""The demo: a made-up series and four made-up stills, loaded once."""

import json

from sqlalchemy import select
from sqlalchemy.orm import Session

from nuvett.core.errors import NotFoundError
from nuvett.services.platform.studio import Studio
from nuvett.services.references.clips import add_clip
from nuvett.services.references.new_references import add_reference
from nuvett.services.series.catalogue import start_series
from nuvett.services.series.gathering import add_file
from nuvett.store import models

_WEIGHTS = (100, 0, 0, 0)


def has_demo(session: Session, studio: Studio) -> bool:
    """Whether the demo series is there, or cannot be loaded because its pictures are not."""
    path = studio.settings.demo / "manifest.json"
    return not path.exists() or _find(session, json.loads(path.read_text())) is not None


def _find(session: Session, manifest: dict[str, str]) -> models.SeriesRow | None:
    return session.scalars(
        select(models.SeriesRow).where(
            models.SeriesRow.title == manifest["series"], models.SeriesRow.credit == manifest["by"]
        )
    ).first()


def load_demo(session: Session, studio: Studio) -> models.SeriesRow:
    """The demo series, made from the demo folder if it is not there yet. Raises NotFoundError without that folder."""
    folder = studio.settings.demo
    manifest_path = folder / "manifest.json"
    if not manifest_path.exists():
        raise NotFoundError("The demo pictures are not on this machine.")
    manifest = json.loads(manifest_path.read_text())
    found = _find(session, manifest)
    if found is not None:
        return found
    series = start_series(session, manifest["series"], manifest["by"])
    for entry in manifest["frames"]:
        frame = add_file(session, studio, series, folder / entry["file"])
        if entry["file"] == manifest["hero"]:
            series.hero_id = frame.id
    for number, (entry, weight) in enumerate(zip(manifest["references"], _WEIGHTS, strict=True), start=1):
        with (folder / entry["file"]).open("rb") as stream:
            reference = add_reference(session, studio, series, f"Salt Road {number}.jpg", stream, entry["film"])
        reference.tone_weight = reference.colour_weight = weight
    for entry in manifest.get("clips", []):
        with (folder / entry["file"]).open("rb") as stream:
            add_clip(session, studio, series, "Salt Road.webm", stream, entry["film"])
    session.flush()
    return series
