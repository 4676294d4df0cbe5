"""Statistics pooled over the frames of a series: by set-up and of all, each measured once for every process."""

from collections.abc import Mapping, Sequence
from uuid import UUID

from nuvett.core.computation import COMPUTATION
from nuvett.core.look.look import Look
from nuvett.core.measure.sampling import Sample
from nuvett.core.measure.statistics import Statistics, thin
from nuvett.core.plan.frame_plan import FramePlan
from nuvett.core.planning.framed import inside_cut
from nuvett.core.planning.planning import evened
from nuvett.core.planning.series import Measured, Pools, evened_statistics, pool_samples, pooled_share
from nuvett.core.steps.even import EvenStep
from nuvett.core.types import Linear
from nuvett.services.caching.caches import Cache
from nuvett.services.caching.lasting import Lasting
from nuvett.services.engine.facts import Facts, FrameFacts, digest
from nuvett.services.engine.sources import Sources


class Pooling:
    """Pools of series. Those of set-ups last, so that where one set-up changed, only it is measured anew."""

    def __init__(self, sources: Sources, lasting: Lasting, facts: Cache, pools: Cache) -> None:
        self._sources, self._lasting, self._facts, self._kept = sources, lasting, facts, pools

    def of(self, frames: Facts, look: Look) -> Pools:
        """Pooled statistics of a series under a look's even light."""
        key = ("pools", frames.pool_key(look), _light(look))
        return self._kept.get(key, lambda: self._pools(frames.firsts, look))

    def measured(self, frame: FrameFacts, look: Look, number: int = 0) -> Measured:
        """A frame as it is pooled, of a set-up by its number."""
        return Measured(self._seen(frame, look), frame.even, number, frame.proportion)

    def _seen(self, frame: FrameFacts, look: Look) -> Sample:
        """The sample that a look is fitted by: of all of a frame, or of what its crop leaves."""
        sample = self._sources.sample(frame)
        if look.seen == "frame":
            return sample
        return inside_cut(FramePlan(lens=frame.lens, geometry=frame.trim.geometry), sample, frame.proportion)

    def _pools(self, firsts: Sequence[FrameFacts], look: Look) -> Pools:
        members: dict[UUID | None, list[FrameFacts]] = {}
        for frame in firsts:
            members.setdefault(frame.setup, []).append(frame)
        numbers = {setup: number for number, setup in enumerate(members)}
        whole, names = _name(look, firsts), {setup: _name(look, some) for setup, some in members.items()}
        named = {whole: firsts, **{names[setup]: some for setup, some in members.items()}}
        found = self._lasting.find(Statistics, named)
        made = self._pooled({key: some for key, some in named.items() if key not in found}, look)
        self._lasting.keep(made)
        found |= made
        by_setup = {numbers[setup]: found[name] for setup, name in names.items()}

        def own(index: int) -> Statistics:
            return self._own(firsts[index], look)

        return Pools(by_setup, found[whole], [numbers[frame.setup] for frame in firsts], own)

    def _pooled(self, pools: Mapping[str, Sequence[FrameFacts]], look: Look) -> dict[str, Statistics]:
        """Statistics of pools by their names; each frame is read once, however many it has a part in."""
        shares = {name: pooled_share(len(frames)) for name, frames in pools.items()}
        asked: dict[UUID, tuple[FrameFacts, list[str]]] = {}
        for name, frames in pools.items():
            for frame in frames:
                asked.setdefault(frame.id, (frame, []))[1].append(name)
        parts: dict[str, list[Linear]] = {name: [] for name in pools}
        for frame, names in asked.values():
            colours = self._seen(frame, look).colours
            for name in names:
                parts[name].append(evened(Linear(thin(colours, shares[name])), frame.even, look))
        return {name: pool_samples(each) for name, each in parts.items()}

    def _own(self, frame: FrameFacts, look: Look) -> Statistics:
        key = ("evened", _own_name(frame, look), _light(look))
        return self._facts.get(key, lambda: evened_statistics(self.measured(frame, look), look))


def _light(look: Look) -> tuple[float, float | None]:
    even = look.step(EvenStep)
    return (0.0, None) if even.is_idle else (even.amount, even.white)


def _own_name(frame: FrameFacts, look: Look) -> str:
    """Names what a frame gives to its pools."""
    cut = frame.trim.geometry.model_dump_json() if look.seen == "crop" else ""
    return digest(frame.sample_key, frame.even.gains, frame.even.camera, cut)


def _name(look: Look, frames: Sequence[FrameFacts]) -> str:
    return digest("pool", COMPUTATION, _light(look), sorted(_own_name(frame, look) for frame in frames))
