"""Film clips: which frames there are, any one of them exactly, and a strip of small ones.

Clips stay on the machine, and decoding is bounded in time and in size.
"""

import time
from collections import OrderedDict
from collections.abc import Iterator
from contextlib import closing, suppress
from dataclasses import dataclass
from pathlib import Path
from threading import Lock

import av
import cv2
import numpy as np
from av.video.reformatter import ColorRange, Colorspace
from numpy.typing import NDArray

from nuvett.core.drawing.renderer import Pixels
from nuvett.core.errors import EmptyFileError, FileError, TooLargeError, TruncatedFileError

MAX_FRAMES = 400_000  # a little over four hours at 25 frames a second
THUMBNAILS, THUMBNAIL_HEIGHT = 16, 72
_MAX_PIXELS = 8192 * 4320
_SECONDS_TO_SEEK = 8.0  # a frame that takes longer to reach is given up
_SECONDS_TO_INDEX = 60.0
_KEPT_BYTES = 160_000_000  # decoded frames kept by one open clip, so that stepping back is as quick as forward
_AHEAD = 96  # frames further on up to which decoding goes on instead of seeking anew
_HDR_CURVES = {16: "PQ", 18: "HLG"}  # ITU-T H.273, transfer characteristics
_HD_HEIGHT = 720  # unlabelled pictures from this height on are ITU-R BT.709, smaller ones BT.601


# Playlists and scripts that some demuxers read would have them open other files, or addresses.
_ONLY = {
    "format_whitelist": "matroska,webm,mov,mp4,m4a,3gp,3g2,mj2,avi,mpegts,mpeg,ogg,mxf,gif",
    "protocol_whitelist": "file",
}


class NoVideoError(FileError):
    """This file holds no moving picture. WebM, MP4 and MKV clips are accepted."""


@dataclass(frozen=True)
class ClipFacts:
    """A clip: size as shown in pixels, length in seconds, presentation times (N,) int64 in units of `base` seconds."""

    width: int
    height: int
    seconds: float
    times: NDArray[np.int64]
    base: float


def _open(path: Path) -> tuple[av.container.InputContainer, av.VideoStream]:
    """The container and its first video stream."""
    if path.stat().st_size == 0:
        raise EmptyFileError
    try:
        container = av.open(str(path), metadata_errors="ignore", options=_ONLY)
    except (av.error.FFmpegError, ValueError) as error:
        raise NoVideoError from error
    stream = next((s for s in container.streams.video if not _is_cover(s)), None)
    if stream is None or stream.codec_context is None:
        container.close()
        raise NoVideoError
    if stream.codec_context.width * stream.codec_context.height > _MAX_PIXELS:
        container.close()
        raise TooLargeError("The clip's picture is larger than 8192 × 4320 pixels.")
    stream.thread_type = "AUTO"
    return container, stream


def _is_cover(stream: av.VideoStream) -> bool:
    """Whether a stream is the cover picture of a sound file."""
    return bool(stream.disposition & av.stream.Disposition.attached_pic)


def read_clip(path: Path) -> ClipFacts:
    """Facts of a clip, read from its packets without decoding; the first frame is decoded to see that it can be.

    Raises EmptyFileError, NoVideoError, TruncatedFileError, TooLargeError, and FileError for high dynamic range.
    """
    container, stream = _open(path)
    with closing(container):
        ordered = np.unique(np.array(_times(container, stream), dtype=np.int64))
        base = float(stream.time_base or 1)
    facts = ClipFacts(0, 0, float((ordered[-1] - ordered[0]) * base), ordered, base)
    with closing(ClipReader(path, facts)) as reader:
        height, width = reader.frame(0).shape[:2]
    return ClipFacts(width, height, facts.seconds, ordered, base)


def _times(container: av.container.InputContainer, stream: av.VideoStream) -> list[int]:
    """Presentation times of all frames. What follows a damaged place cannot be indexed, and is left out."""
    started, times = time.monotonic(), []
    with suppress(av.error.FFmpegError):
        for packet in container.demux(stream):
            if packet.pts is not None and packet.size and not packet.is_discard:
                times.append(packet.pts)
            if len(times) > MAX_FRAMES or time.monotonic() - started > _SECONDS_TO_INDEX:
                raise TooLargeError("The clip is too long; cut out the part you need.")
    if not times:
        raise NoVideoError
    return times


def _pixels(frame: av.VideoFrame) -> Pixels:
    """8-bit RGB (H, W, 3) as the frame is meant to be seen: matrix and range undone, upright."""
    if int(frame.color_trc) in _HDR_CURVES:
        curve = _HDR_CURVES[int(frame.color_trc)]
        raise FileError(f"This clip is of high dynamic range ({curve}), which is not read yet.")
    source = frame.colorspace
    if int(source) not in (1, 4, 5, 6, 7, 9):  # unlabelled or without a matrix of its own
        source = Colorspace.ITU709 if frame.height >= _HD_HEIGHT else Colorspace.ITU601
    made = frame.reformat(
        format="rgb24", src_colorspace=source, dst_colorspace=Colorspace.ITU709, dst_color_range=ColorRange.JPEG
    ).to_ndarray()
    turns = round((frame.rotation or 0) / 90) % 4
    return np.ascontiguousarray(np.rot90(made, turns)) if turns else np.asarray(made)


class ClipReader:
    """Frames of one clip by number, exactly; neighbours of a decoded frame are kept. Several threads may use it.

    Raises as `read_clip` when it is made.
    """

    def __init__(self, path: Path, facts: ClipFacts) -> None:
        self._times = facts.times
        self._container, self._stream = _open(path)
        self._decoding: Iterator[av.VideoFrame] = iter(())
        self._next = -1  # the frame that decoding would give next, when it goes on
        self._kept: OrderedDict[int, av.VideoFrame] = OrderedDict()
        self._bytes = 0
        self._lock = Lock()

    def close(self) -> None:
        """Let the file go."""
        with self._lock:
            self._container.close()

    def frame(self, number: int) -> Pixels:
        """8-bit RGB (H, W, 3) of frame `number`, from 0. Raises TruncatedFileError when it cannot be reached."""
        number = min(max(0, number), len(self._times) - 1)
        with self._lock:
            if number not in self._kept:
                try:
                    self._decode_to(number)
                except av.error.FFmpegError as error:
                    self._next = -1
                    if number not in self._kept:
                        raise TruncatedFileError("The clip is damaged here. Copy it again from its source.") from error
            self._kept.move_to_end(number)
            # A frame holds what it is converted with, so two threads must not convert the same one at once.
            return _pixels(self._kept[number])

    def _decode_to(self, number: int) -> None:
        deadline = time.monotonic() + _SECONDS_TO_SEEK
        if not self._next <= number <= self._next + _AHEAD or self._next < 0:
            self._container.seek(int(self._times[number]), stream=self._stream, backward=True)
            self._decoding = self._container.decode(self._stream)
        for frame in self._decoding:
            if frame.pts is not None:
                at = int(np.searchsorted(self._times, frame.pts))
                self._next = at + 1
                self._keep(at, frame)
                if at >= number:
                    break
            if time.monotonic() > deadline:
                break
        else:
            self._next = -1
        if number not in self._kept:
            nearest = min(self._kept, key=lambda n: abs(n - number), default=None)
            if nearest is None or abs(nearest - number) > 1:
                raise TruncatedFileError("The clip is damaged here, or this frame takes too long to reach.")
            self._keep(number, self._kept[nearest])

    def _keep(self, number: int, frame: av.VideoFrame) -> None:
        if number in self._kept:
            return
        size = frame.width * frame.height * 2
        self._kept[number] = frame
        self._bytes += size
        while self._bytes > _KEPT_BYTES and len(self._kept) > 2:
            self._kept.popitem(last=False)
            self._bytes -= size


def thumbnails(path: Path, facts: ClipFacts, count: int = THUMBNAILS) -> Pixels:
    """Evenly spaced frames side by side (THUMBNAIL_HEIGHT, count * w, 3), 8-bit RGB; ones out of reach are grey."""
    width = max(1, round(THUMBNAIL_HEIGHT * facts.width / facts.height))
    strip = np.full((THUMBNAIL_HEIGHT, width * count, 3), 119, dtype=np.uint8)
    with closing(ClipReader(path, facts)) as reader:
        for i, number in enumerate(thumbnail_numbers(len(facts.times), count)):
            with suppress(TruncatedFileError):
                small = cv2.resize(reader.frame(number), (width, THUMBNAIL_HEIGHT), interpolation=cv2.INTER_AREA)
                strip[:, i * width : (i + 1) * width] = small
    return strip


def thumbnail_numbers(frames: int, count: int = THUMBNAILS) -> list[int]:
    """Numbers of the frames that a strip of thumbnails shows."""
    return [int((i + 0.5) * frames / count) for i in range(count)]
