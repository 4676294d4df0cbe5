"""What is measured of frames under their plans, and remembered while memory lasts."""

from collections.abc import Callable, Sequence

from nuvett.core.book.health import health_on
from nuvett.core.book.suits import bending
from nuvett.core.fit.holds import HoldLimits
from nuvett.core.fit.hue_families import hue_families
from nuvett.core.fit.hues import HueBand
from nuvett.core.look.look import Look
from nuvett.core.measure.statistics import quantiles_of
from nuvett.core.plan.apply import before_kind
from nuvett.core.plan.by_hand import GreyOperation, HuesOperation
from nuvett.core.plan.frame_plan import FramePlan
from nuvett.core.planning.lacking import Unmatched, unmatched
from nuvett.core.planning.series import finished_cloud, plain_cloud
from nuvett.core.planning.summary import Summary, palette_of, summary_of
from nuvett.core.planning.warnings import Note, notes_on
from nuvett.core.reading.palette import Palette
from nuvett.core.steps.hold import HoldStep
from nuvett.core.types import OKLab, Quantiles
from nuvett.services.caching.caches import Caches
from nuvett.services.engine.areas import Areas
from nuvett.services.engine.facts import Aimed, FrameFacts
from nuvett.services.engine.planner import Planner
from nuvett.services.engine.sources import Sources

_PALETTE_COLOURS, _FAMILY_COLOURS = 512, 4096


class Measures:
    """Summaries and notes of frames, keyed by their samples and plans."""

    def __init__(self, sources: Sources, planner: Planner, areas: Areas, caches: Caches) -> None:
        self._sources, self._planner, self._areas = sources, planner, areas
        self._kept, self._clouds = caches.facts, caches.pictures

    def cloud(self, frame: FrameFacts, plan: FramePlan | None) -> OKLab:
        """OKLab colours (N, 3) of what is seen of a frame under a plan, or as it came, in colour order."""

        def make() -> OKLab:
            sample = self._sources.sample(frame)
            return finished_cloud(plan, sample, self._areas.seeing(frame, plan)) if plan else plain_cloud(sample)

        return self._clouds.get(("cloud", frame.sample_key, plan.key if plan else ""), make)

    def summary(self, frame: FrameFacts, plan: FramePlan | None, aimed: Aimed | None) -> Summary:
        """What a wall shows of a frame under a plan, or as it came."""
        aimed = aimed.on(frame) if aimed else None
        key = ("summary", frame.sample_key, plan.key if plan else "", aimed.target_key if aimed else "")
        yardstick = self._planner.yardstick(aimed)
        return self._kept.get(key, lambda: summary_of(self.cloud(frame, plan), yardstick, plan is not None))

    def tone(self, frame: FrameFacts, plan: FramePlan | None) -> Quantiles:
        """(65,) quantiles of the lightness of a frame under a plan, or as it came."""
        return quantiles_of(self.cloud(frame, plan)[:, 0])

    def unmatched(self, frame: FrameFacts, plan: FramePlan, aimed: Aimed) -> tuple[Unmatched, ...]:
        """Colours that a frame under a plan lacks of its target, and has beside it; none without a target."""
        aimed = aimed.on(frame)
        yardstick = self._planner.yardstick(aimed)
        if yardstick is None:
            return ()
        key = ("unmatched", frame.sample_key, plan.key, aimed.target_key)
        return self._kept.get(key, lambda: unmatched(self.cloud(frame, plan), yardstick.cloud))

    def before_greys(self, frame: FrameFacts, plan: FramePlan, name: str) -> Palette:
        """Palette of a frame as its colours come to black-and-white in a group or layer of its plan."""
        key = ("before greys", frame.sample_key, plan.key, name)

        def make() -> Palette:
            colours = self._sources.sample(frame).thinned(_PALETTE_COLOURS).colours
            return palette_of(before_kind(plan, name, GreyOperation, colours))

        return self._kept.get(key, make) if plan.find(GreyOperation, name) else ()

    def families(self, frame: FrameFacts, plan: FramePlan, name: str) -> tuple[HueBand, ...]:
        """Families of hues of a frame as its colours come to hue ranges in a group or layer of its plan."""
        key = ("families", frame.sample_key, plan.key, name)

        def make() -> tuple[HueBand, ...]:
            colours = self._sources.sample(frame).thinned(_FAMILY_COLOURS).colours
            return hue_families(before_kind(plan, name, HuesOperation, colours))

        return self._kept.get(key, make)

    def notes(self, frame: FrameFacts, plan: FramePlan, aimed: Aimed) -> tuple[Note, ...]:
        """What goes wrong with a frame under a plan, and what in it is richer than anything in the target."""
        return (*self._noted(notes_on, frame, plan, aimed.look), *self._richer(frame, plan, aimed))

    def health(self, frame: FrameFacts, plan: FramePlan, aimed: Aimed) -> tuple[Note, ...]:
        """All that goes wrong with a frame under a plan, as it is shown before a look is kept."""
        return (*self._noted(health_on, frame, plan, aimed.look), *self._richer(frame, plan, aimed))

    def _richer(self, frame: FrameFacts, plan: FramePlan, aimed: Aimed) -> tuple[Note, ...]:
        found = self.summary(frame, plan, aimed).richer
        return () if found is None else (found,)

    def _noted(
        self, find: Callable[..., Sequence[Note]], frame: FrameFacts, plan: FramePlan, look: Look
    ) -> tuple[Note, ...]:
        limits = _limits_of(look)
        key = (find.__name__, frame.sample_key, plan.key, limits)

        def make() -> tuple[Note, ...]:
            return tuple(find(plan, self._sources.sample(frame), self._areas.seeing(frame, plan), frame.faces, limits))

        return self._kept.get(key, make)

    def bending(self, frame: FrameFacts, plan: FramePlan) -> float:
        """How much a plan bends the colours of a frame, in hundredths of OKLab."""
        key = ("bending", frame.sample_key, plan.key)
        return self._kept.get(key, lambda: bending(plan, self._sources.sample(frame), self._areas.seeing(frame, plan)))


def _limits_of(look: Look) -> HoldLimits:
    hold = look.step(HoldStep)
    return HoldLimits(hue=hold.hue, chroma=hold.chroma, lightness=hold.lightness)
