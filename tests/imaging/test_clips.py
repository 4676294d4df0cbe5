"""Clips: any frame exactly, in both directions, and clear words for files that are not usable."""

from concurrent.futures import ThreadPoolExecutor
from contextlib import closing
from pathlib import Path

import av
import numpy as np
import pytest

from nuvett.core.errors import EmptyFileError, FileError, TruncatedFileError
from nuvett.imaging.clips import ClipReader, NoVideoError, read_clip, thumbnails
from tests.conftest import DEMO

FRAMES, SIZE = 40, 64


def grey_of(number: int) -> int:
    return 20 + 5 * number


@pytest.fixture(scope="module")
def clip(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Forty frames, each of its own grey, with few frames that decoding can start from."""
    path = tmp_path_factory.mktemp("clips") / "steps.webm"
    with av.open(str(path), "w") as container:
        stream = container.add_stream("libvpx-vp9", rate=25)
        stream.width = stream.height = SIZE
        stream.pix_fmt = "yuv420p"
        stream.options = {"crf": "4", "b": "0", "g": "16", "cpu-used": "8"}
        for number in range(FRAMES):
            picture = np.full((SIZE, SIZE, 3), grey_of(number), np.uint8)
            for packet in stream.encode(av.VideoFrame.from_ndarray(picture, format="rgb24")):
                container.mux(packet)
        for packet in stream.encode():
            container.mux(packet)
    return path


def test_every_frame_is_found_exactly_whatever_the_order(clip: Path) -> None:
    facts = read_clip(clip)
    assert (len(facts.times), facts.width, facts.height) == (FRAMES, SIZE, SIZE)
    assert facts.seconds == pytest.approx(39 / 25, abs=0.01)
    reader = ClipReader(clip, facts)
    for number in (0, 1, 2, 30, 29, 28, 7, 39, 0, 17, 16, 15, 99, -3):
        wanted = grey_of(min(max(number, 0), FRAMES - 1))
        assert reader.frame(number).mean() == pytest.approx(wanted, abs=2.5), number
    reader.close()


def test_several_threads_may_ask_for_the_same_frame_at_once(clip: Path) -> None:
    with closing(ClipReader(clip, read_clip(clip))) as reader, ThreadPoolExecutor(4) as threads:
        for found in threads.map(reader.frame, [25] * 2000):
            assert found.mean() == pytest.approx(grey_of(25), abs=2.5)


def test_the_demo_clip_opens_and_its_thumbnails_run_through_it() -> None:
    facts = read_clip(DEMO / "clips" / "salt-road.webm")
    strip = thumbnails(DEMO / "clips" / "salt-road.webm", facts, 4)
    assert strip.shape[1] == 4 * round(72 * facts.width / facts.height)
    quarters = [part.reshape(-1, 3).mean(axis=0) for part in np.split(strip, 4, axis=1)]
    assert quarters[0][0] > quarters[0][2] + 20, "lamp light first"
    assert np.ptp(quarters[3]) < 6, "silver last"


def test_a_file_without_moving_pictures_is_refused(tmp_path: Path) -> None:
    sound = tmp_path / "sound.mkv"
    with av.open(str(sound), "w") as container:
        stream = container.add_stream("pcm_s16le", rate=8000, layout="mono")
        frame = av.AudioFrame.from_ndarray(np.zeros((1, 800), np.int16), format="s16", layout="mono")
        frame.sample_rate = 8000
        for packet in [*stream.encode(frame), *stream.encode()]:
            container.mux(packet)
    for path in (sound, DEMO / "README.md"):
        with pytest.raises(NoVideoError, match="no moving picture"):
            read_clip(path)
    empty = tmp_path / "empty.webm"
    empty.touch()
    with pytest.raises(EmptyFileError):
        read_clip(empty)


def test_what_lies_before_the_damage_is_still_shown(clip: Path, tmp_path: Path) -> None:
    whole = clip.read_bytes()
    cut = tmp_path / "cut.webm"
    cut.write_bytes(whole[: len(whole) * 2 // 3])
    facts = read_clip(cut)
    assert 10 < len(facts.times) < FRAMES
    assert ClipReader(cut, facts).frame(3).mean() == pytest.approx(grey_of(3), abs=2.5)
    broken = tmp_path / "broken.webm"
    middle = len(whole) // 2
    broken.write_bytes(whole[:middle] + bytes(200) + whole[middle + 200 :])
    try:
        reader = ClipReader(broken, read_clip(broken))
        for number in range(FRAMES):
            reader.frame(number)
    except FileError as error:
        assert isinstance(error, TruncatedFileError) and "damaged" in error.message
