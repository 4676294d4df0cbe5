"""Finished pictures of frames, written from their files, for deliveries and for references of finished frames."""

from pathlib import Path

from nuvett.core.plan.frame_plan import FramePlan
from nuvett.imaging.decode import read_header
from nuvett.services.engine.facts import FrameFacts
from nuvett.services.files.rendering import LookedAt
from nuvett.services.files.writing import RenderRequest, Written, write_picture
from nuvett.services.platform.memory import bytes_of
from nuvett.services.platform.studio import Studio


def bytes_of_frame(studio: Studio, frame: FrameFacts) -> int:
    """Bytes that writing a frame takes at their peak."""
    with studio.blobs.local(frame.pixels) as path:
        return bytes_of(read_header(path, studio.limits))


def write_frame(studio: Studio, frame: FrameFacts, plan: FramePlan, how: Written, target: Path) -> None:
    """Write a frame under a plan, as its areas find themselves in it. Raises as `write_picture`."""
    bench = studio.bench
    seen = LookedAt(lambda: bench.sources.view(frame.view), lambda: bench.areas.weights(frame, plan))
    with studio.blobs.local(frame.pixels) as pixels, studio.blobs.local(frame.original) as original:
        asked = RenderRequest(pixels, original, plan, (frame.width, frame.height), seen)
        write_picture(asked, how, studio.limits, target)
