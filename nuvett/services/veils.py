"""Veils laid over a picture that leave open where something is: what clips, tones that may break up, faces."""

from typing import Literal

import cv2
import numpy as np

from nuvett.core.plan.frame_plan import FramePlan
from nuvett.core.planning.planning import UNTOUCHED
from nuvett.core.planning.warnings import at_ends, steep_tones
from nuvett.core.spaces.oklab import linear_to_oklab
from nuvett.core.spaces.rgb import to_linear
from nuvett.core.types import Encoded01
from nuvett.services.facts import FrameFacts
from nuvett.services.workbench import Workbench

Veil = Literal["clipping", "steep", "skin"]
_VEILED, _OPEN = (119, 119, 119, 150), (0, 0, 0, 0)
_WHITE, _BLACK = (0, 0, 0, 255), (255, 255, 255, 255)


def veil_of(bench: Workbench, frame: FrameFacts, plan: FramePlan | None, edge: int, what: Veil) -> bytes:
    """PNG over a frame's preview.

    clipping : black where a channel clips to white, white where all are black; steep : open where the frame's tones
    may break up; skin : open on the faces found
    """
    used = plan or UNTOUCHED

    def make() -> bytes:
        height, width = bench.sources.view(frame.view, edge).shape[:2]
        veil = np.full((height, width, 4), _VEILED, dtype=np.uint8)
        if what == "clipping":
            # At 16 bits and before the JPEG, neither of which may make clipping up or hide it.
            made = bench.pictures.drawn(frame, used, edge, depth=16)
            white, black = at_ends(np.multiply(made, np.float32(1 / 65535), dtype=np.float32))
            veil[white], veil[black] = _WHITE, _BLACK
        elif what == "steep":
            low, high = steep_tones(used, bench.sources.sample(frame))
            pixels = (bench.sources.view(frame.view, edge) / 255).astype(np.float32)
            lightness = linear_to_oklab(to_linear(Encoded01(pixels), frame.domain))[..., 0]
            veil[(lightness >= low) & (lightness <= high)] = _OPEN
        else:
            for face in frame.faces:
                left, top, across, down = face.box
                rows = slice(max(0, int(top * height)), int((top + down) * height))
                veil[rows, max(0, int(left * width)) : int((left + across) * width)] = _OPEN
        return cv2.imencode(".png", veil, [cv2.IMWRITE_PNG_COMPRESSION, 1])[1].tobytes()

    return bench.pictures.kept(("veil", what, frame.view, used.key, edge), make)
