"""A simulated camera and a simulated phone: drop made-up frames into a folder, one after the other.

    ./run camera FOLDER [--every SECONDS] [--frames N]

Frames are those of the demo: raw files, some with the camera's JPEG beside them, JPEGs alone, and pictures of a phone.
Each appears bit by bit, as over a cable.
"""

import argparse
import shutil
import time
from collections.abc import Iterator
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from nuvett.core.even.camera import scene_light
from nuvett.core.spaces.rgb import to_linear
from nuvett.core.types import Encoded01, Linear
from nuvett.imaging.facts import FileFacts, read_facts
from nuvett.imaging.lens_database import correction_by, find_lens
from tools.raw_files import Shot, write_dng

DEMO = Path(__file__).resolve().parent.parent / "demo"
_LIGHTS = ((0.8, 1.0, 0.5), (0.55, 1.0, 0.8), (1.0, 1.0, 0.35))
_LENS = "Tidewrack 35 mm F2"
_PREVIEW = (480, 320)
_PIECES, _PIECE_SECONDS = 4, 0.1


def make_raw(frame: Path, out: Path, light: tuple[float, float, float] = _LIGHTS[0], preview: bool = True) -> None:
    """A raw file of a demo frame, whose light is what the camera's curve made the frame of."""
    decoded = cv2.imdecode(np.fromfile(frame, np.uint8), cv2.IMREAD_COLOR)
    if decoded is None:
        raise ValueError(f"{frame.name} is no picture")
    picture: NDArray[np.uint8] = cv2.cvtColor(decoded, cv2.COLOR_BGR2RGB).astype(np.uint8)
    scene = _through_lens(scene_light(to_linear(Encoded01((picture / 255).astype(np.float32))), 1.0))
    taken = read_facts(frame).taken
    shot = Shot(
        light=light,
        exposure=0.3,
        taken=taken.strftime("%Y:%m:%d %H:%M:%S") if taken else Shot.taken,
        lens=_LENS,
        focal=35,
        aperture=4,
    )
    small = np.asarray(cv2.resize(picture, _PREVIEW, interpolation=cv2.INTER_AREA), dtype=np.uint8)
    write_dng(out, scene, shot, small if preview else None)


def _through_lens(scene: Linear) -> Linear:
    """Light (h, w, 3) as the made-up lens throws it onto the sensor: bent, and less of it in the corners."""
    height, width = scene.shape[:2]
    facts = FileFacts(camera_maker=Shot.maker, camera=Shot.camera, lens=_LENS, focal=35, aperture=4)
    known = find_lens(facts)
    lens = correction_by(known.key, facts, (width, height)) if known else None
    if lens is None:
        return scene
    x, y = np.meshgrid((np.arange(width) + 0.5) / width, (np.arange(height) + 0.5) / height)
    across, down = lens.in_picture(x, y, (width, height))
    grid = [np.asarray(shares * side - 0.5, np.float32) for shares, side in ((across, width), (down, height))]
    bent = cv2.remap(scene, grid[0], grid[1], cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT)
    lost = np.maximum(bent, 0) / lens.light(x, y, (width, height))[..., None]
    return Linear(np.asarray(lost, np.float32))


def _shots(folder: Path) -> Iterator[list[Path]]:
    """What each release of the shutter leaves, made in a folder: raw and JPEG, raw, JPEG, then the phone."""
    phones = sorted((DEMO / "phone").glob("*.heic"))
    for index, frame in enumerate(sorted((DEMO / "frames").glob("*.jpg"))):
        raw = folder / f"{frame.stem}.dng"
        if index % 4 < 2:
            make_raw(frame, raw, _LIGHTS[index % len(_LIGHTS)])
        yield [[raw, frame], [raw], [frame], [phones[index // 4 % len(phones)]]][index % 4]


def _drop(source: Path, folder: Path) -> None:
    data = source.read_bytes()
    step = -(-len(data) // _PIECES)
    with (folder / source.name).open("wb") as out:
        for at in range(0, len(data), step):
            out.write(data[at : at + step])
            out.flush()
            time.sleep(_PIECE_SECONDS)


def shoot(folder: Path, every: float, frames: int) -> None:
    """Drop what so many releases of the shutter leave into a folder."""
    folder.mkdir(parents=True, exist_ok=True)
    making = folder.parent / f".{folder.name}-camera"
    making.mkdir(exist_ok=True)
    try:
        for _, files in zip(range(frames), _shots(making), strict=False):
            for file in files:
                _drop(file, folder)
                print(file.name, flush=True)
            time.sleep(every)
    finally:
        shutil.rmtree(making)


def main() -> None:
    """Entry point."""
    parser = argparse.ArgumentParser(prog="./run camera", description=(__doc__ or "").splitlines()[0])
    parser.add_argument("folder", type=Path)
    parser.add_argument("--every", type=float, default=2.0, help="seconds between two releases of the shutter")
    parser.add_argument("--frames", type=int, default=12, help="releases of the shutter")
    asked = parser.parse_args()
    shoot(asked.folder, asked.every, asked.frames)


if __name__ == "__main__":
    main()
