"""Makes the demo's clip from the demo's stills: slow moves over each, dissolving into the next, with a little grain."""

from fractions import Fraction
from pathlib import Path

import av
import cv2
import numpy as np

DEMO = Path(__file__).resolve().parent.parent / "demo"
SIZE, RATE, SECONDS_EACH, DISSOLVE = (960, 402), 24, 4.0, 0.75
# Start and end of each move: middle x, middle y, width, in shares of the still.
MOVES = (
    ((0.42, 0.5, 0.9), (0.6, 0.5, 0.62)),
    ((0.5, 0.45, 0.66), (0.5, 0.5, 0.95)),
    ((0.35, 0.5, 0.7), (0.65, 0.5, 0.7)),
    ((0.55, 0.5, 0.95), (0.45, 0.55, 0.6)),
)


def view(still: np.ndarray, move: tuple[tuple[float, ...], tuple[float, ...]], at: float) -> np.ndarray:
    """The part of a still that the move shows at 0 to 1."""
    ease = at * at * (3 - 2 * at)
    x, y, share = (a + (b - a) * ease for a, b in zip(*move, strict=True))
    height, width = still.shape[:2]
    w = share * width
    h = w * SIZE[1] / SIZE[0]
    left = min(max(0, x * width - w / 2), width - w)
    top = min(max(0, y * height - h / 2), height - h)
    corners = np.array([[left, top], [left + w, top], [left, top + h]], np.float32)
    to = np.array([[0, 0], [SIZE[0], 0], [0, SIZE[1]]], np.float32)
    return cv2.warpAffine(
        still, cv2.getAffineTransform(corners, to), SIZE, flags=cv2.INTER_AREA, borderMode=cv2.BORDER_REFLECT
    )


def main() -> None:
    """Write demo/clips/salt-road.webm."""
    files = sorted((DEMO / "stills").glob("*.jpg"))
    stills = [p[..., ::-1] for f in files if (p := cv2.imread(str(f))) is not None]
    out = DEMO / "clips" / "salt-road.webm"
    out.parent.mkdir(exist_ok=True)
    grain = np.random.default_rng(7)
    each, fade = round(SECONDS_EACH * RATE), round(DISSOLVE * RATE)
    with av.open(str(out), "w") as container:
        stream = container.add_stream("libvpx-vp9", rate=Fraction(RATE))
        stream.width, stream.height = SIZE
        stream.pix_fmt = "yuv420p"
        stream.options = {"crf": "30", "b": "0", "g": "48", "row-mt": "1", "cpu-used": "2"}
        stream.codec_context.colorspace = 1
        stream.codec_context.color_primaries = 1
        stream.codec_context.color_trc = 1
        for number in range(each * len(stills)):
            scene, at = divmod(number, each)
            picture = view(stills[scene], MOVES[scene], at / each).astype(np.float32)
            left = each - at
            if left < fade and scene + 1 < len(stills):
                other = view(stills[scene + 1], MOVES[scene + 1], 0).astype(np.float32)
                picture += (other - picture) * (1 - left / fade)
            picture += grain.normal(0, 1.2, picture.shape[:2])[..., None]
            frame = av.VideoFrame.from_ndarray(np.clip(np.rint(picture), 0, 255).astype(np.uint8), format="rgb24")
            frame = frame.reformat(format="yuv420p", dst_colorspace=av.video.reformatter.Colorspace.ITU709)
            frame.colorspace = 1
            for packet in stream.encode(frame):
                container.mux(packet)
        for packet in stream.encode():
            container.mux(packet)


if __name__ == "__main__":
    main()
