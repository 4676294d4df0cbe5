"""What is read of kept pictures: samples, colours, views at a size. Everything is keyed by content."""

from collections.abc import Callable
from typing import TypeVar

from nuvett.core.drawing.renderer import Pixels, in_floats
from nuvett.core.geometry.proposals import Proposal, propose
from nuvett.core.guided import encoded_luminance
from nuvett.core.measure.sampling import Sample, placed_sample
from nuvett.core.measure.statistics import Statistics, measure
from nuvett.core.spaces.oklab import linear_to_oklab
from nuvett.core.spaces.rgb import to_linear
from nuvett.core.thread.growth import EDGE, Outlines, Pointed, grown
from nuvett.core.types import Linear, OKLab
from nuvett.imaging.proxy import measuring_proxy, within_edge
from nuvett.imaging.views import decode_view
from nuvett.services.caching.caches import Cache
from nuvett.services.engine.arrays import load_array, sample_of_array
from nuvett.services.engine.facts import FrameFacts
from nuvett.store.blobs import BlobStore

T = TypeVar("T")
SMALL_EDGE = 400
"""Long edge of views up to which the kept view is decoded at a share of its size, which is much quicker."""

_CLIP_BYTES = 40_000_000  # what an open clip takes, roughly: its decoder keeps some frames


class Sources:
    """Arrays of kept pictures, remembered while memory lasts."""

    def __init__(self, blobs: BlobStore, kept: Cache) -> None:
        self._blobs, self._kept = blobs, kept

    def array(self, name: str) -> Linear:
        """A kept linear array by its blob: a proxy (h, w, 3)."""
        return self._kept.get(("array", name), lambda: Linear(load_array(self._blobs.read(name))))

    def lab(self, name: str) -> OKLab:
        """OKLab colours of a kept linear array, by its blob."""
        return self._kept.get((name, "lab"), lambda: linear_to_oklab(self.array(name)))

    def sample(self, frame: FrameFacts) -> Sample:
        """Sample of a frame. Samples of earlier versions have no places: those of its view's sample stand in."""

        def make() -> Sample:
            kept = load_array(self._blobs.read(frame.sample))
            sample = sample_of_array(kept)
            if sample is None:
                proxy = measuring_proxy(self.view(frame.view), frame.domain)
                sample = Sample(Linear(kept), placed_sample(proxy, len(kept)).places)
            return sample if frame.lens is None else sample.lit(frame.lens, (frame.width, frame.height))

        return self._kept.get(("sample", frame.sample_key), make)

    def statistics(self, frame: FrameFacts) -> Statistics:
        """Statistics of a frame as it came."""
        return self._kept.get(
            ("statistics", frame.sample_key), lambda: measure(linear_to_oklab(self.sample(frame).colours))
        )

    def proposal(self, frame: FrameFacts) -> Proposal:
        """What a frame's long lines say about how it was held."""

        def make() -> Proposal:
            return propose(encoded_luminance(in_floats(self.view(frame.view))))

        return self._kept.get(("proposal", frame.view), make)

    def linear_view(self, frame: FrameFacts, edge: int) -> Linear:
        """A frame as it came, in linear light (h, w, 3), scaled down to a long edge: all of the kept view, averaged."""
        return to_linear(in_floats(within_edge(self.view(frame.view), edge)), frame.domain)

    def outlines(self, frame: FrameFacts, pointed: tuple[Pointed, ...]) -> Outlines:
        """Outlines of a thing in a frame as it came, about places that were pointed at."""
        key = ("outlines", frame.view, pointed)
        return self._kept.get(key, lambda: grown(linear_to_oklab(self.linear_view(frame, EDGE)), pointed))

    def clip_reader(self, name: str, make: Callable[[], T]) -> T:
        """An open clip by its blob; few are kept open at once."""
        return self._kept.get(("clip", name), make, _CLIP_BYTES)

    def view(self, name: str, edge: int | None = None) -> Pixels:
        """8-bit view (h, w, 3) of a picture by its blob, in its own domain, scaled down to a long edge."""

        def make() -> Pixels:
            if edge is None:
                return decode_view(self._blobs.read(name))
            return within_edge(self._small(name) if edge <= SMALL_EDGE else self.view(name), edge)

        return self._kept.get(("view", name, edge), make)

    def _small(self, name: str) -> Pixels:
        """A view hardly larger than tiles are."""
        return self._kept.get(("small", name), lambda: decode_view(self._blobs.read(name), SMALL_EDGE))
