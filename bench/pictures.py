"""Pictures that measurements are made on: the demo's rendered frames, and photographs that a package ships."""

import json
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import skimage

from nuvett.core.spaces.rgb import Space, to_linear
from nuvett.core.types import Encoded01, Linear
from nuvett.imaging.proxy import measuring_proxy

PROJECT = Path(__file__).resolve().parent.parent
DEMO = PROJECT / "demo"
_PHOTOGRAPHS = ("astronaut.png", "chelsea.png", "coffee.png", "rocket.jpg", "motorcycle_left.png")
_RENDERED = ("AT-0101", "AT-0104", "AT-0106", "AT-0115", "AT-0121", "AT-0127", "AT-0133")


@dataclass(frozen=True)
class Named:
    """A picture with its name: encoded sRGB pixels (H, W, 3) uint8."""

    name: str
    pixels: np.ndarray

    @property
    def proxy(self) -> Linear:
        """Measuring proxy (h, w, 3), linear."""
        return measuring_proxy(self.pixels, Space.SRGB)

    @property
    def thumbnail(self) -> Linear:
        """Half the proxy's width and height: enough for comparing methods that sort every pixel."""
        proxy = self.proxy
        return Linear(np.asarray(cv2.resize(proxy, None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA)))


def load(path: Path) -> np.ndarray:
    """Encoded sRGB pixels (H, W, 3) uint8 of a file."""
    found = cv2.imread(str(path), cv2.IMREAD_COLOR)
    if found is None:
        raise FileNotFoundError(path)
    return np.asarray(cv2.cvtColor(found, cv2.COLOR_BGR2RGB))


def photographs() -> list[Named]:
    """Photographs shipped inside scikit-image; nothing of ours was tuned to one of them alone."""
    folder = Path(skimage.__file__).parent / "data"
    return [Named(Path(name).stem, load(folder / name)) for name in _PHOTOGRAPHS]


def rendered() -> list[Named]:
    """Some of the demo's frames without camera errors, of different scenes and lamps."""
    return [Named(name, load(DEMO / "truth" / f"{name}.jpg")) for name in _RENDERED]


def stills() -> list[Named]:
    """The demo's four reference stills."""
    return [Named(path.stem, load(path)) for path in sorted((DEMO / "stills").glob("*.jpg"))]


def manifest() -> dict[str, Any]:
    """The demo's manifest."""
    found: dict[str, Any] = json.loads((DEMO / "manifest.json").read_text())
    return found


def small_linear(pixels: np.ndarray) -> Linear:
    """Linear light of encoded 8-bit pixels (..., 3)."""
    return to_linear(Encoded01((pixels / 255).astype(np.float32)))
