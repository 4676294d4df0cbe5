"""One picture rendered under a plan and written: what deliveries and the command line both do."""

from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

from nuvett.core.drawing.drawing import Stages, compile_stages
from nuvett.core.errors import FileError
from nuvett.core.output.sharpening import Sharpen, sharpened
from nuvett.core.output.sizes import Resize
from nuvett.core.plan.frame_plan import FramePlan
from nuvett.core.spaces.rgb import Space
from nuvett.imaging.encode import FORMATS, USUAL_QUALITY, Format, encode, encode_within
from nuvett.imaging.facts import Credits, Keep, write_facts
from nuvett.imaging.opened import Limits
from nuvett.services.files.rendering import THREADS, LookedAt, Rendered, render_file


@dataclass(frozen=True)
class Written:
    """How a picture is written.

    most_kilobytes : its quality is lowered until it fits; keep : of the metadata of the original; credits : beside it
    """

    format: Format = Format.JPEG
    quality: int = USUAL_QUALITY
    most_kilobytes: int | None = None
    resize: Resize = field(default_factory=Resize)
    sharpen: Sharpen = "none"
    space: Space = Space.SRGB
    keep: Keep = Keep.ALL
    credits: Credits = field(default_factory=Credits)


@dataclass(frozen=True)
class RenderRequest:
    """What is rendered.

    pixels : file that pixels are decoded from; original : file whose metadata goes along, the same but for raw ones
    size : width and height of the frame in its own pixels; seen : the frame as maps and areas look at it, none for the
        file itself
    """

    pixels: Path
    original: Path
    plan: FramePlan
    size: tuple[int, int]
    seen: LookedAt | None = None


def write_picture(asked: RenderRequest, how: Written, limits: Limits, target: Path) -> None:
    """Render a picture and write it to a file, whole. Raises as `decode`, and FileError where it does not fit."""

    def stages(domain: Space) -> Stages:
        return compile_stages(asked.plan, domain, how.space, threads=THREADS)

    edge = how.resize.edge(asked.plan.placed(asked.size).size)
    made = render_file(asked.pixels, limits, stages, FORMATS[how.format].depth, edge, asked.seen)
    dpi = how.resize.dpi if how.resize.by == "print" else made.dpi
    size = made.size
    limited = how.most_kilobytes is not None and FORMATS[how.format].has_quality

    def with_facts() -> int:
        write_facts(target, asked.original, how.keep, size, how.space, how.credits)
        return target.stat().st_size

    if limited:
        _write_within(made, how, dpi, target, with_facts)
        return
    target.write_bytes(encode(sharpened(made.pixels, how.sharpen), how.format, how.quality, how.space, dpi))
    del made  # which is a lot of memory while metadata is written
    with_facts()


def _write_within(made: Rendered, how: Written, dpi: float | None, target: Path, with_facts: Callable[[], int]) -> None:
    """Write a picture of a limited size, metadata and all."""
    pixels, most = sharpened(made.pixels, how.sharpen), (how.most_kilobytes or 0) * 1000
    data = encode_within(pixels, how.format, most, how.quality, how.space, dpi)
    target.write_bytes(data)
    beside = with_facts() - len(data)
    if beside + len(data) <= most:
        return
    target.write_bytes(encode_within(pixels, how.format, most - beside, how.quality, how.space, dpi))
    if with_facts() > most:
        raise FileError(f"It does not fit into {how.most_kilobytes} kB: allow more, or fewer pixels.")
