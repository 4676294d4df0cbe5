"""Made-up raw files: the mosaic that a sensor would have seen of a picture, as a DNG with a camera's own picture in it.

Adobe's DNG specification 1.4 for the tags; the mosaic and the colour matrix are invented.
"""

from dataclasses import dataclass
from io import BytesIO
from pathlib import Path

import exiftool
import numpy as np
import tifffile
from numpy.typing import NDArray

from nuvett.core.spaces.rgb import Space, to_xyz_matrix

WHITE, BLACK = 16383, 512
CAMERA = np.array([[0.90, -0.25, -0.05], [-0.45, 1.25, 0.20], [-0.10, 0.25, 0.60]])
"""XYZ under D65 to the invented sensor's red, green and blue."""

_D65 = np.array([0.95047, 1.0, 1.08883])
_CFA, _LINEAR_UNIT = 32803, 1_000_000


@dataclass(frozen=True)
class Shot:
    """How a made-up raw file was taken.

    light : multipliers of the sensor's channels that the lamp had; the camera set its white by them
    exposure : sensor value, 0 to 1, of linear light 1
    """

    light: tuple[float, float, float] = (1.0, 1.0, 1.0)
    exposure: float = 0.8
    taken: str = "2026:09:18 09:00:00"
    maker: str = "Tidewrack"
    camera: str = "Maker One"
    lens: str = ""
    focal: float = 0.0
    aperture: float = 0.0


def mosaic(linear: NDArray[np.floating], shot: Shot) -> tuple[NDArray[np.uint16], NDArray[np.float64]]:
    """Sensor values (H, W) of linear sRGB light (H, W, 3), and the neutral that the camera wrote down (3,)."""
    neutral = CAMERA @ _D65 * np.array(shot.light)
    seen = linear.astype(np.float64) @ to_xyz_matrix(Space.SRGB).T @ CAMERA.T * np.array(shot.light)
    seen *= shot.exposure / neutral.max()
    plane = np.empty(linear.shape[:2])
    for row, column, channel in ((0, 0, 0), (0, 1, 1), (1, 0, 1), (1, 1, 2)):
        plane[row::2, column::2] = seen[row::2, column::2, channel]
    values = np.clip(np.rint(BLACK + plane * (WHITE - BLACK)), 0, WHITE).astype(np.uint16)
    return values, neutral / neutral.max()


def _fractions(values: NDArray[np.float64]) -> list[int]:
    return [n for value in values.reshape(-1) for n in (round(float(value) * _LINEAR_UNIT), _LINEAR_UNIT)]


def write_dng(path: Path, linear: NDArray[np.floating], shot: Shot, preview: NDArray[np.uint8] | None = None) -> None:
    """Write linear sRGB light (H, W, 3) as a raw file; `preview` (h, w, 3) is the camera's own picture."""
    values, neutral = mosaic(linear, shot)
    of_the_camera = [
        (50706, "B", 4, (1, 4, 0, 0), True),
        (50707, "B", 4, (1, 1, 0, 0), True),
        (50708, "s", 0, f"{shot.maker} {shot.camera}", True),
        (50721, "2i", 9, _fractions(CAMERA), True),
        (50728, "2I", 3, _fractions(neutral), True),
        (50778, "H", 1, 21, True),
        (271, "s", 0, shot.maker, True),
        (272, "s", 0, shot.camera, True),
        (274, "H", 1, 1, True),
    ]
    of_the_mosaic = [
        (33421, "H", 2, (2, 2), True),
        (33422, "B", 4, (0, 1, 1, 2), True),
        (50714, "H", 1, BLACK, True),
        (50717, "H", 1, WHITE, True),
    ]
    file = BytesIO()
    with tifffile.TiffWriter(file) as out:
        if preview is None:
            out.write(values, photometric=_CFA, extratags=[*of_the_camera, *of_the_mosaic], metadata=None)
        else:
            out.write(preview, photometric="rgb", subfiletype=1, subifds=1, extratags=of_the_camera, metadata=None)
            out.write(values, photometric=_CFA, extratags=of_the_mosaic, metadata=None)
    path.write_bytes(file.getvalue())
    _write_facts(path, shot)


def _write_facts(path: Path, shot: Shot) -> None:
    facts = {
        "DateTimeOriginal": shot.taken,
        "LensModel": shot.lens,
        "FocalLength": shot.focal or "",
        "FNumber": shot.aperture or "",
    }
    with exiftool.ExifTool() as tool:
        tool.execute("-overwrite_original", *(f"-{tag}={value}" for tag, value in facts.items()), str(path))
