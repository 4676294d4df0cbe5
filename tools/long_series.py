"""A made-up series of any length: the demo's frames taken again and again, a little otherwise each time.

`python -m tools.long_series FOLDER --frames 2000` writes the files; twenty-five a set-up, some minutes between them.
`repeat_series` makes rows of an installation instead, in seconds, where measuring is not what is looked at.
"""

import argparse
import uuid
from concurrent.futures import ProcessPoolExecutor
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from functools import partial
from pathlib import Path

import numpy as np
from PIL import Image

from nuvett.core.types import Linear
from nuvett.services.engine.arrays import dump_sample, load_array, sample_of_array
from nuvett.services.looks import wall_jobs
from nuvett.services.platform.studio import Studio
from nuvett.services.references.targets import renew_target
from nuvett.services.series.catalogue import find_series, start_series
from nuvett.store import models

FRAMES = Path(__file__).parents[1] / "demo" / "frames"
IN_A_SETUP = 25
_DATE_TIME, _TAKEN, _EXIF = 306, 36867, 0x8769
_FIRST = datetime(2026, 10, 3, 8, 0)
_BETWEEN_FRAMES, _BETWEEN_SETUPS = timedelta(seconds=8), timedelta(minutes=12)


def write_frame(number: int, folder: Path) -> Path:
    """Write the file of one frame: one of the demo's, brighter or darker, its view moved a little."""
    setup, within = divmod(number, IN_A_SETUP)
    sources = sorted(FRAMES.glob("*.jpg"))
    own = sources[(setup * 5 + within % 5) % len(sources)]
    drawn = np.random.default_rng(number)
    with Image.open(own) as opened:
        exif, image = opened.getexif(), opened.convert("RGB")
    left, top = (int(v) for v in drawn.integers(0, 24, 2))
    cut = image.crop((left, top, left + image.width - 24, top + image.height - 24))
    gain = 2 ** float(drawn.normal(0, 0.12))
    pixels = np.asarray(cut, np.float32) * gain + drawn.normal(0, 1.5, (*cut.size[::-1], 1))
    taken = _FIRST + setup * (_BETWEEN_SETUPS + IN_A_SETUP * _BETWEEN_FRAMES) + within * _BETWEEN_FRAMES
    text = taken.strftime("%Y:%m:%d %H:%M:%S")
    exif[_DATE_TIME] = text
    exif.get_ifd(_EXIF)[_TAKEN] = text
    path = folder / f"LT-{number + 1:04}.jpg"
    Image.fromarray(np.clip(pixels, 0, 255).astype(np.uint8)).save(path, quality=92, exif=exif)
    return path


def write_series(folder: Path, frames: int) -> list[Path]:
    """Write the files of a whole series, in shooting order."""
    folder.mkdir(parents=True, exist_ok=True)
    with ProcessPoolExecutor() as pool:
        return list(pool.map(partial(write_frame, folder=folder), range(frames), chunksize=16))


_OWN = ("id", "series_id", "setup_id", "position", "name", "sample", "follows_id", "created", "taken", "trim")


def repeat_series(studio: Studio, slug: str, title: str, frames: int) -> str:
    """A series of so many frames, each like one of a measured series but a little darker; its slug."""
    with studio.database.session() as session:
        source = find_series(session, slug)
        rows = [row for row in source.frames if row.state == "ready"]
        samples = [sample_of_array(load_array(studio.blobs.read(row.sample or ""))) for row in rows]
        series = start_series(session, title)
        for number in range(-(-frames // IN_A_SETUP)):
            session.add(models.SetUpRow(series_id=series.id, position=number + 1, name=f"Set-up {number + 1}"))
        session.flush()
        setups = [setup.id for setup in series.setups]
        columns = [column.key for column in models.FrameRow.__table__.columns if column.key not in _OWN]
        for number in range(frames):
            like, sample = rows[number % len(rows)], samples[number % len(rows)]
            assert sample is not None
            darker = Linear((sample.colours * np.float32(1 - 1e-4 * (number // len(rows) + 1))).astype(np.float32))
            own = models.FrameRow(
                **{name: getattr(like, name) for name in columns},
                id=uuid.uuid4(),
                series_id=series.id,
                setup_id=setups[number // IN_A_SETUP],
                position=number + 1,
                name=f"LT-{number + 1:04}",
                taken=_FIRST.replace(tzinfo=UTC) + number * _BETWEEN_FRAMES,
                sample=studio.blobs.put(dump_sample(replace(sample, colours=darker)))[0],
            )
            session.add(own)
        for reference in source.references[:2]:
            values = {c.key: getattr(reference, c.key) for c in models.ReferenceRow.__table__.columns if c.key != "id"}
            session.add(models.ReferenceRow(**values | {"series_id": series.id, "frame_id": None}))
        session.flush()
        renew_target(session, series.id)
        session.flush()
        wall_jobs.prepare_wall(session, studio, series.id)  # as once the light of a series was evened
        return series.slug


def main() -> None:
    """Write the files that the arguments ask for."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("folder", type=Path)
    parser.add_argument("--frames", type=int, default=2000)
    asked = parser.parse_args()
    print(f"{len(write_series(asked.folder, asked.frames))} files in {asked.folder}")


if __name__ == "__main__":
    main()
