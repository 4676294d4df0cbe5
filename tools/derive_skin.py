"""Where the skin of the demo's complexions lies in OKLCh under daylight; `core/skin.py` rounds this.

Boxes are shares of the picture (left, top, right, bottom) that hold skin and nothing else.
"""

from pathlib import Path

import cv2
import numpy as np

from nuvett.core.spaces.oklab import linear_to_oklab, oklab_to_oklch
from nuvett.core.spaces.rgb import to_linear
from nuvett.core.types import Encoded01

TRUTH = Path(__file__).resolve().parent.parent / "demo" / "truth"
FACE = (0.482, 0.12, 0.525, 0.21)
BOXES = {
    "AT-0102": ("sand", FACE),
    "AT-0106": ("espresso", FACE),
    "AT-0110": ("porcelain", FACE),
    "AT-0111": ("umber", (0.29, 0.12, 0.345, 0.3)),
    "AT-0116": ("umber", (0.29, 0.12, 0.345, 0.3)),
    "AT-0117": ("olive", (0.48, 0.30, 0.58, 0.50)),
}

if __name__ == "__main__":
    found = []
    for name, (complexion, (left, top, right, bottom)) in BOXES.items():
        picture = cv2.imread(str(TRUTH / f"{name}.jpg"), cv2.IMREAD_COLOR)
        assert picture is not None
        height, width = picture.shape[:2]
        box = picture[int(top * height) : int(bottom * height), int(left * width) : int(right * width), ::-1]
        lch = oklab_to_oklch(linear_to_oklab(to_linear(Encoded01((box.reshape(-1, 3) / 255).astype(np.float32)))))
        found.append(lch)
        print(
            name,
            complexion,
            "L, chroma, hue at 10, 50, 90 %:",
            np.quantile(lch, [0.1, 0.5, 0.9], axis=0).round(3).tolist(),
        )
    every = np.concatenate(found)
    print("all: 2, 50, 98 %:", np.quantile(every, [0.02, 0.5, 0.98], axis=0).round(3).tolist())
