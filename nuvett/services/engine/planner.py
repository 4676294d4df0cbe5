"""Planning frames of a series from plain facts, and remembering what was planned while memory lasts."""

from dataclasses import replace

import numpy as np

from nuvett.core.area.area import Area
from nuvett.core.drift.drift import Yardstick
from nuvett.core.errors import TargetError
from nuvett.core.fit.curves import STRAIGHT
from nuvett.core.look.look import Look
from nuvett.core.look.tables import with_tables
from nuvett.core.measure.sampling import Sample
from nuvett.core.measure.statistics import Statistics
from nuvett.core.plan.frame_plan import FramePlan
from nuvett.core.plan.light import GainsOperation
from nuvett.core.planning.framed import weights_at
from nuvett.core.planning.part_to_part import statistics_inside
from nuvett.core.planning.planning import (
    Fitting,
    aim_of,
    area_plan,
    evened_plan,
    look_plan,
    skin_seen,
    trim_only,
    trimmed,
    where_plan,
)
from nuvett.core.planning.series import Own, Pools, SeriesRun, finished_cloud
from nuvett.core.planning.suggest import PullSuggestion, suggest_pull, tried_frames
from nuvett.core.steps.curve import CurveStep
from nuvett.core.steps.even import EvenStep
from nuvett.core.steps.step import Aim
from nuvett.core.thread.colours import goals
from nuvett.core.thread.holding import Anchor, held_in_area, held_moves, with_moves
from nuvett.core.thread.places import colour_under
from nuvett.core.types import OKLab
from nuvett.services.caching.caches import Cache
from nuvett.services.engine.areas import Areas
from nuvett.services.engine.facts import Aimed, Facts, FrameFacts, HeldThread, digest
from nuvett.services.engine.plans import PLAN_BYTES, Plans
from nuvett.services.engine.pooling import Pooling
from nuvett.services.engine.sources import Sources
from nuvett.services.engine.tables import Tables


class Planner:
    """Plans of frames, keyed by all that they depend on."""

    def __init__(
        self, sources: Sources, tables: Tables, plans: Plans, areas: Areas, pooling: Pooling, kept: Cache
    ) -> None:
        self._sources, self._tables, self._plans, self._areas = sources, tables, plans, areas
        self._pooling, self._kept = pooling, kept

    def _aim(self, aimed: Aimed | None) -> tuple[Aim, Yardstick] | tuple[None, None]:
        target = aimed.target if aimed else None
        if aimed is None or target is None:
            return None, None
        return self._kept.get(
            ("aim", aimed.target_key),
            lambda: (aim_of(target), Yardstick.of(OKLab(np.asarray(target.statistics.cloud)))),
        )

    def aim(self, aimed: Aimed) -> Aim | None:
        """What frames are planned toward, none without a target."""
        return self._aim(aimed)[0]

    def yardstick(self, aimed: Aimed | None) -> Yardstick | None:
        """What drift is measured against, none without a target."""
        return self._aim(aimed)[1]

    def pools(self, frames: Facts, look: Look) -> Pools:
        """Pooled statistics of a series under a look's even light."""
        return self._pooling.of(frames, look)

    def run(self, frames: Facts, aimed: Aimed) -> SeriesRun:
        """A series under a look."""
        look = with_tables(aimed.look, self._tables.find)
        return SeriesRun(self.pools(frames, aimed.look), self.aim(aimed), look)

    def plan(self, frames: Facts, index: int, aimed: Aimed) -> FramePlan:
        """Plan of one frame of a series under a look, with the frame's own trim, and with things held in it."""
        frame = frames[index]
        if not frames.held_key(frame.id):
            return self.unheld(frames, index, aimed)

        def make() -> FramePlan:
            plan, held = self.unheld(frames, index, aimed), frames.held_in(frame.id)
            found = [(t, a) for t in held if (a := self._anchor(frames, index, aimed, t)) is not None]
            anchors = [anchor for thread, anchor in found if thread.goal.colour is None]
            if anchors:
                seeing = self._areas.seeing(frame, plan)
                plan = with_moves(plan, held_moves(anchors, finished_cloud(plan, self._sources.sample(frame), seeing)))
            for thread, anchor in found:
                plan = plan if thread.goal.colour is None else self._held_to_colour(frame, plan, thread, anchor)
            return plan

        return self._kept.get(("plan", self.name(frames, index, aimed)), make, PLAN_BYTES)

    def name(self, frames: Facts, index: int, aimed: Aimed) -> str:
        """Names all that the plan of a frame depends on: frames of one name have the same plan."""
        frame, held = frames[index], frames.held_key(frames[index].id)
        if not held:
            return self._unheld_name(frames, frame, aimed)
        return digest(self._unheld_name(frames, frame, aimed), frames.pool_key(aimed.look), held)

    def _unheld_name(self, frames: Facts, frame: FrameFacts, aimed: Aimed) -> str:
        own = _kept_key(frame, aimed) or frames.pool_key(aimed.look)  # what was kept depends on no other frame
        return digest(own, frame.key, aimed.on(frame).key, frame.view, frame.subject)

    def _anchor(self, frames: Facts, index: int, aimed: Aimed, thread: HeldThread) -> Anchor | None:
        """A thing as it is seen in a frame before it is held, and as it should be; none where that is not known."""
        places = sorted(i for f in thread.places if (i := frames.index_of(f)) is not None)
        on_hero = frames.index_of(thread.hero)
        if thread.goal.colour is not None:
            places = [index]  # which no other frame tells
        elif thread.goal.kind == "hero" and on_hero in places:
            places = [i for i in places if i in (index, on_hero)]
        colours = [self._unheld_colour(frames, i, aimed, thread) for i in places]
        hero = places.index(on_hero) if on_hero in places else None
        wanted = goals(thread.goal, colours, [frames[i].setup for i in places], hero)
        colour, goal = colours[places.index(index)], wanted[places.index(index)]
        return None if colour is None or goal is None else Anchor(colour, goal, thread.within)

    def _held_to_colour(self, frame: FrameFacts, plan: FramePlan, thread: HeldThread, anchor: Anchor) -> FramePlan:
        """A plan with a thing held to a colour as given, inside its outline. anchor : before other things were held"""
        place = thread.places[frame.id]

        def under(made: FramePlan) -> OKLab | None:
            return colour_under(made, place.colours, self._areas.seeing(frame, made))

        colour = under(plan)
        if colour is None:
            return plan
        layer = held_in_area(replace(anchor, colour=colour), place.rings, lambda own: under(plan.with_layer(own)))
        return plan if layer is None else plan.with_layer(layer)

    def _unheld_colour(self, frames: Facts, index: int, aimed: Aimed, thread: HeldThread) -> OKLab | None:
        frame = frames[index]
        place = thread.places[frame.id]
        return self.colour_of_place(frame, self.unheld(frames, index, aimed), place.key, place.colours)

    def colour_of_place(self, frame: FrameFacts, plan: FramePlan, key: str, colours: Sample) -> OKLab | None:
        """Middle colour (3,) of a place of a frame under a plan; none where its cut leaves too little of it.

        key : names the colours, which were taken there as the frame came
        """
        return self._kept.get(
            ("place", key, frame.view, plan.key),
            lambda: colour_under(plan, colours, self._areas.seeing(frame, plan)),
        )

    def unheld(self, frames: Facts, index: int, aimed: Aimed) -> FramePlan:
        """Plan of one frame of a series under a look, with the frame's own trim alone."""
        frame = frames[index]
        name = self._unheld_name(frames, frame, aimed)
        kept = _kept_key(frame, aimed)
        aimed = aimed.on(frame)

        def make() -> FramePlan:
            trim = with_tables(frame.trim, self._tables.find)
            base = self._plans.find(kept) or self.look_plan(frames, index, aimed)
            look = with_tables(aimed.look, self._tables.find)
            plan = trimmed(base, look, trim, lambda: self._fitting(frames, frame, aimed))
            return plan.through_lens(frame.lens)

        return self._kept.get(("plan", name), make, PLAN_BYTES)

    def look_plan(self, frames: Facts, index: int, aimed: Aimed) -> FramePlan:
        """What a look does to one frame of a series as it would be carried now: its plan without its trim and lens."""
        frame = frames[index]
        return look_plan(self._fitting(frames, frame, aimed.on(frame)))

    def _fitting(self, frames: Facts, frame: FrameFacts, aimed: Aimed) -> Fitting:
        gains = aimed.look.step(EvenStep).gains_of(frame.even)
        own = Own(frame.even, faces=frame.faces, seed=frame.seed, inside=lambda area: self._inside(frame, gains, area))
        return self.run(frames, aimed).fitting(frames.places[frame.first], own)

    def has(self, frame: FrameFacts, look: Look, area: Area) -> bool:
        """Whether a frame has enough of an area for it to be brought to a part."""
        gains = look.step(EvenStep).gains_of(frame.even)
        return self._inside(frame, gains, area.with_faces(skin_seen(frame.faces, gains))) is not None

    def _inside(self, frame: FrameFacts, gains: GainsOperation, area: Area) -> Statistics | None:
        """Statistics of a frame's evened colours in an area, none where it has no such."""
        sample = self._sources.sample(frame)
        (weights,) = weights_at(self._areas.weights(frame, area_plan(area, gains)), sample)
        return statistics_inside(gains.on_light(sample.colours), weights)

    def trim_only(self, frame: FrameFacts) -> FramePlan:
        """The plan of a frame that follows no look: its trim alone."""
        trim = with_tables(frame.trim, self._tables.find)
        return trim_only(trim, self._sources.statistics(frame), frame.faces, frame.seed).through_lens(frame.lens)

    def finished(self, frames: Facts, index: int, aimed: Aimed | None) -> FramePlan:
        """The plan of a frame as it is handed over: under a look with its trim, or by its trim alone."""
        return self.plan(frames, index, aimed) if aimed else self.trim_only(frames[index])

    def as_came(self, frame: FrameFacts) -> FramePlan | None:
        """The plan of a frame as it came, where its geometry puts it; none where it stays as it is."""
        plan = FramePlan(lens=frame.lens, geometry=frame.trim.geometry)
        return plan if plan.is_placed else None

    def evened(self, frame: FrameFacts, look: Look) -> FramePlan:
        """The plan that only evens a frame's light, as strongly as a look does, where its geometry puts it."""
        plan = evened_plan(frame.even, look).model_copy(update={"geometry": frame.trim.geometry})
        return plan.through_lens(frame.lens)

    def where(self, frame: FrameFacts, look: Look | None, area: Area) -> FramePlan:
        """The plan that says where an area lies in a frame, under a look if it follows one."""
        gains = look.step(EvenStep).gains_of(frame.even) if look else GainsOperation()
        return where_plan(area, gains, frame.faces, frame.trim.geometry).through_lens(frame.lens)

    def shared(self, frames: Facts, aimed: Aimed) -> FramePlan:
        """The plan that all frames share, for a lookup table."""
        return self.run(frames, replace(aimed, look=aimed.look.everywhere())).shared()

    def suggested_pull(self, frames: Facts, aimed: Aimed) -> PullSuggestion:
        """The pull that suits a series under a look. Raises TargetError without a target."""
        aim = self.aim(aimed)
        if aim is None:
            raise TargetError("A pull can be suggested once there are frames and a target.")
        firsts, pools = frames.firsts, self.pools(frames, aimed.look)
        tried = {i: self._pooling.measured(firsts[i], aimed.look, pools.numbers[i]) for i in tried_frames(len(firsts))}
        return suggest_pull(tried, pools, aim, with_tables(aimed.look, self._tables.find))

    def with_straight_curve(self, frames: Facts, index: int, aimed: Aimed) -> tuple[FramePlan, Aimed]:
        """The plan of a frame under a look whose master curve is straight, and that look."""
        curve = aimed.look.step(CurveStep).model_copy(update={"master": STRAIGHT})
        straight = replace(aimed, look=aimed.look.with_step(curve))
        return self.plan(frames, index, straight), straight


def _kept_key(frame: FrameFacts, aimed: Aimed) -> str:
    """Names the plan that was kept of a frame when it was carried to a version; empty where none was."""
    return frame.kept.get(aimed.version, "") if aimed.version else ""
