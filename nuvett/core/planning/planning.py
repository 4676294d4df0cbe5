"""Planning one frame: a look, a trim and measured colours in, a frame plan out."""

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np

from nuvett.core.area.area import Area
from nuvett.core.area.faces import FaceSeen, SkinSeen
from nuvett.core.even.even_light import EvenLight
from nuvett.core.geometry.geometry import Geometry
from nuvett.core.look.beyond import asked_for
from nuvett.core.look.common import with_common
from nuvett.core.look.local import Local
from nuvett.core.look.look import Look
from nuvett.core.look.trim import Trim
from nuvett.core.measure.statistics import MIN_PIXELS, Statistics, measure, thin
from nuvett.core.near import Centre
from nuvett.core.plan.apply import after_groups
from nuvett.core.plan.by_hand import GreyOperation
from nuvett.core.plan.ends import EaseOperation, HoldOperation
from nuvett.core.plan.fitted import KeepOperation
from nuvett.core.plan.frame_plan import LOOK_GROUPS, FramePlan, Group, GroupName, Layer
from nuvett.core.plan.light import ExposureOperation, GainsOperation
from nuvett.core.plan.operation import Operation, Stage
from nuvett.core.planning.part_to_part import brought_to
from nuvett.core.reading.cells import find_cells
from nuvett.core.reading.palette import Edits
from nuvett.core.reading.reading import Target
from nuvett.core.skin import skin_centres
from nuvett.core.spaces.oklab import linear_to_oklab
from nuvett.core.steps.even import EvenStep
from nuvett.core.steps.mono import MonoStep
from nuvett.core.steps.moves import PLANNING_CLOUD
from nuvett.core.steps.step import Aim, Ask, Step
from nuvett.core.steps.zones import ZoneStep
from nuvett.core.types import Linear, OKLab


def aim_of(target: Target) -> Aim:
    """A target made ready for planning."""
    parts = {part.key: part.statistics for part in target.parts}
    return replace(aim_of_statistics(target.statistics, target.edits), shown=target.palette, parts=parts)


def aim_of_statistics(statistics: Statistics, edits: Edits | None = None) -> Aim:
    """What frames are planned toward, from statistics alone."""
    return Aim(statistics, find_cells(OKLab(thin(statistics.cloud, PLANNING_CLOUD)), edits))


def even_only(gains: tuple[float, float, float], camera: float = 0.0) -> FramePlan:
    """The plan that only evens the light."""
    operation = GainsOperation(gains=gains, camera=camera)
    return FramePlan(groups=(Group(name="light", operations=(operation,)),))


_GUARDS = (KeepOperation, EaseOperation, HoldOperation)

UNTOUCHED = FramePlan()
"""The plan that changes nothing."""


Inside = Callable[[Area], Statistics | None]


@dataclass(frozen=True)
class Fitting:
    """What a frame is planned by beside its trim.

    frame : statistics of the evened frame, pooled as the pull asks
    aim : the target, none for a look that is made by hand alone
    light : the frame's even light, none for no change
    faces : found in the frame as it came
    seed : of grain
    inside : statistics of the frame's evened colours in an area, none where it has no such; asked only where an area
        is brought to a part of a reference
    """

    frame: Statistics
    aim: Aim | None
    look: Look
    light: EvenLight = field(default_factory=EvenLight)
    faces: Sequence[FaceSeen] = ()
    seed: int = 0
    inside: Inside = field(default=lambda _: None)

    @cached_property
    def gains(self) -> GainsOperation:
        return self.look.step(EvenStep).gains_of(self.light)

    @cached_property
    def skin(self) -> tuple[SkinSeen, ...]:
        """Faces with the centres of their skin, evened."""
        return skin_seen(self.faces, self.gains)

    @cached_property
    def ask(self) -> Ask:
        """What steps of the look are asked to resolve for."""
        return Ask(
            frame=self.frame,
            aim=self.aim or Aim(self.frame, ()),
            aimed=self.aim is not None,
            light=self.light,
            centres=_centres(self.skin),
            colour=self.look.colour / 100,
            keep=_keep(self.look),
        )

    def layers(self, in_look: tuple[Group, ...], trim: Trim) -> tuple[Layer, ...]:
        """Layers of the areas of the look and of a trim, upon the look as strong as it is in this frame."""
        local = _InAreas(in_look, self.skin, lambda: _out_of(in_look, self.ask), self.inside)
        return (*local.layers("look", self.look.areas, trim.without), *local.layers("trim", trim.areas))


def look_plan(fitting: Fitting) -> FramePlan:
    """What the look does to a frame: its plan without any trim."""
    look = asked_for(fitting.look)
    fitting = replace(fitting, look=look)
    operations = _look_operations(fitting)
    in_look = tuple(Group(name=name, strength=look.strength / 100, operations=own) for name, own in operations)
    groups = (Group(name="light", operations=(fitting.gains,)), *in_look)
    return FramePlan(groups=groups, layers=fitting.layers(in_look, Trim()), seed=fitting.seed)


_Named = tuple[GroupName, tuple[Operation, ...]]


def _look_operations(fitting: Fitting) -> tuple[_Named, ...]:
    """Operations of the groups of a look, by the way in which it arrives."""
    ask, way = fitting.ask, fitting.look.way
    steps = [step for step in fitting.look.steps if step.group == "look"]
    always = (ask.keep, EaseOperation())
    if not ask.aimed or way == "steps":
        return (("look", _by_hand(steps, ask, always)),)
    if way == "fit":
        return (("look", _resolved(steps, ask, always)),)
    if way == "result":
        return (("look", _resolved(steps, ask, always, _goes_there)),)
    coloured = [step for step in steps if not isinstance(step, MonoStep)]
    by_hand = tuple(one for one in _by_hand(coloured, ask, always) if one.stage != Stage.FINISHED)
    if not by_hand:
        return (("look", _resolved(steps, ask, always)),)
    after = replace(ask, frame=_out_of((Group(name="hand", operations=by_hand),), ask).frame)
    rest = _resolved(steps, after, always, _goes_there)
    return (("hand", by_hand), ("look", rest))


def _by_hand(steps: Iterable[Step], ask: Ask, always: tuple[Operation, ...]) -> tuple[Operation, ...]:
    """What steps do without any target."""
    alone = replace(ask, aimed=False, aim=Aim(ask.frame, ()))
    operations = _resolved(steps, alone, always)
    # Guards alone guard against what nothing here does, and would still cost the rounding of a table.
    return () if all(isinstance(operation, _GUARDS) for operation in operations) else operations


def _goes_there(operation: Operation) -> bool:
    """Whether an operation goes toward the target, guards against what does, or is the finish; greys come last."""
    return operation.stage != Stage.BY_HAND or isinstance(operation, GreyOperation)


def trimmed(base: FramePlan, look: Look, trim: Trim, fitting: Callable[[], Fitting]) -> FramePlan:
    """A plan of what a look does to a frame, with the frame's trim upon it.

    fitting : what the frame is planned by, asked for only where something of the trim has to be fitted
    """
    trim = with_common(trim, look.common)
    plan = base.model_copy(update={"geometry": trim.geometry, "spots": trim.spots})
    weakened = trim.strength != 100
    if weakened:
        plan = plan.with_look_at(min(1.0, look.strength / 100) * trim.strength / 100)
    in_look = tuple(group for group in plan.groups if group.name in LOOK_GROUPS)
    if any(not step.is_idle for step in trim.steps):
        plan = plan.model_copy(update={"groups": (*plan.groups, _trimmed(trim, in_look, fitting().ask))})
    if trim.areas or trim.without or (weakened and look.areas):
        plan = plan.model_copy(update={"layers": fitting().layers(in_look, trim)})
    return plan


def plan_frame(
    frame: Statistics,
    aim: Aim | None,
    look: Look,
    light: EvenLight | None = None,
    trim: Trim | None = None,
    faces: Sequence[FaceSeen] = (),
    seed: int = 0,
) -> FramePlan:
    """Plan one frame; see `Fitting`."""
    fitting = Fitting(frame, aim, look, light or EvenLight(), faces, seed)
    return trimmed(look_plan(fitting), look, trim or Trim(), lambda: fitting)


@dataclass(frozen=True)
class _InAreas:
    """What layers of a frame are made of: groups of its look, its faces, what steps are asked to resolve for, and
    statistics of its evened colours in an area.
    """

    look: tuple[Group, ...]
    faces: tuple[SkinSeen, ...]
    ask: Callable[[], Ask]
    inside: Inside = lambda _: None

    def layers(self, document: str, areas: Sequence[Local], without: Sequence[str] = ()) -> tuple[Layer, ...]:
        """Layers of the areas of a document that do something, named after it and their places in it."""
        taken = [not own.is_idle and (not own.key or own.key not in without) for own in areas]
        acting = {f"{document}.{place}": own for place, own in enumerate(areas) if taken[place]}
        ask = self.ask() if acting else None
        return tuple(self._layer(name, own, ask) for name, own in acting.items() if ask is not None)

    def _layer(self, name: str, own: Local, ask: Ask) -> Layer:
        strength = self.look[-1].strength if self.look else 1.0
        here = None if own.strength == 100 else min(1.5, strength * own.strength / 100)
        area = own.area.with_faces(self.faces)
        brought = self._brought(own, area, ask.aim)
        return Layer(name=name, area=area, look=here, operations=(*brought, *_resolved(own.steps, ask)))

    def _brought(self, own: Local, area: Area, aim: Aim) -> tuple[Operation, ...]:
        """What brings an area to its part; nothing where the frame has no such area, or the part is gone."""
        part = aim.parts.get(own.aim) if own.aims else None
        inside = self.inside(area) if part is not None else None
        if part is None or inside is None:
            return ()
        cloud = after_groups(self.look, OKLab(np.asarray(inside.cloud)))
        return brought_to(measure(cloud), part, own.toward / 100)


def _resolved(
    steps: Iterable[Step],
    ask: Ask,
    always: tuple[Operation, ...] = (),
    wanted: Callable[[Operation], bool] = lambda _: True,
) -> tuple[Operation, ...]:
    """Operations of steps that are wanted, with those that are always there, in the order of their stages."""
    for step in steps:
        if step.acts(ask.aimed):
            ask = replace(ask, so_far=(*ask.so_far, *(one for one in step.resolve(ask) if wanted(one))))
    return tuple(sorted((*ask.so_far, *always), key=lambda o: o.stage))


def _trimmed(trim: Trim, look: tuple[Group, ...], ask: Ask) -> Group:
    """A trim's steps. Those that are fitted look at the frame as it comes out of the look."""
    fitted = any(step.fitted and not step.is_idle for step in trim.steps)
    fresh = _out_of(look, ask) if fitted else _afresh(ask)
    return Group(name="trim", operations=_one_light(_resolved(trim.steps, fresh)))


def _out_of(look: tuple[Group, ...], ask: Ask) -> Ask:
    """What is asked of steps that see the frame as it comes out of the look."""
    cloud = OKLab(np.asarray(ask.frame.cloud))
    if len(cloud) >= MIN_PIXELS:
        ask = replace(ask, frame=measure(after_groups(look, cloud)))
    return _afresh(ask)


def _afresh(ask: Ask) -> Ask:
    return replace(ask, colour=1.0, keep=KeepOperation())


def _one_light(operations: tuple[Operation, ...]) -> tuple[Operation, ...]:
    """A trim's white and exposure as one change of light, so that highlights roll off once and not twice."""
    if len(operations) < 2:
        return operations
    white, exposure, *rest = operations
    if not (isinstance(white, GainsOperation) and isinstance(exposure, ExposureOperation)):
        return operations
    if not (white.amount == exposure.amount == 1 and white.part == exposure.part == "both"):
        return operations
    gains = tuple(float(gain * 2**exposure.exposure) for gain in white.gains)
    return (white.model_copy(update={"gains": gains}), exposure.model_copy(update={"exposure": 0.0}), *rest)


def _keep(look: Look) -> KeepOperation:
    """What a look leaves things of their own colour. Where a hue was chosen for highlights, white goes there too."""
    zones = look.step(ZoneStep)
    whites = 100.0 if zones.highlight_hue is not None else zones.whites
    return KeepOperation(vivid=look.vivid / 100, whites=whites / 100, softly=True)


def skin_seen(faces: Sequence[FaceSeen], gains: GainsOperation) -> tuple[SkinSeen, ...]:
    """Faces with the centres of their skin, evened; what cannot be skin is left out."""
    found = []
    for face in faces:
        colour = Linear(np.array([face.colour], dtype=np.float32))
        found += [SkinSeen(box=face.box, centre=c) for c in skin_centres(linear_to_oklab(gains.on_light(colour)))]
    return tuple(found)


def _centres(faces: Sequence[SkinSeen]) -> tuple[Centre, ...]:
    return tuple(face.centre for face in faces)


def evened(linear: Linear, light: EvenLight, look: Look) -> Linear:
    """Linear light (..., 3) evened as strongly as a look asks."""
    return look.step(EvenStep).gains_of(light).on_light(linear)


def evened_plan(light: EvenLight, look: Look) -> FramePlan:
    """The plan that only evens a frame's light, as strongly as a look does."""
    return FramePlan(groups=(Group(name="light", operations=(look.step(EvenStep).gains_of(light),)),))


def area_plan(area: Area, light: GainsOperation) -> FramePlan:
    """The plan that does nothing but even a frame's light and say where an area lies in it: its one layer."""
    return FramePlan(groups=(Group(name="light", operations=(light,)),), layers=(Layer(area=area),))


def where_plan(area: Area, light: GainsOperation, faces: Sequence[FaceSeen], geometry: Geometry) -> FramePlan:
    """The same of an area that is found anew by faces, where geometry puts it."""
    return area_plan(area.with_faces(skin_seen(faces, light)), light).model_copy(update={"geometry": geometry})


def trim_only(trim: Trim, frame: Statistics, faces: Sequence[FaceSeen] = (), seed: int = 0) -> FramePlan:
    """The plan of a frame that follows no look: its trim alone, without a target.

    frame : statistics of the frame as it came
    """
    seen = skin_seen(faces, GainsOperation())
    ask = Ask(frame=frame, aim=aim_of_statistics(frame), aimed=False, centres=_centres(seen))
    group = Group(name="trim", operations=_resolved(trim.steps, ask))
    layers = _InAreas((), seen, lambda: ask).layers("trim", trim.areas)
    return FramePlan(spots=trim.spots, geometry=trim.geometry, groups=(group,), layers=layers, seed=seed)
