"""What every step has: a name, a title, a sentence, words for what changed, and operations that it resolves to."""

from abc import abstractmethod
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, ClassVar, Literal, Protocol, Self

import numpy as np

from nuvett.core.even.even_light import EvenLight
from nuvett.core.fields import choice, choices_of, numbers_of
from nuvett.core.fit.tone import TONE_GRID
from nuvett.core.measure.statistics import Statistics
from nuvett.core.near import Centre
from nuvett.core.plan.apply import through
from nuvett.core.plan.fitted import KeepOperation, ToneOperation
from nuvett.core.plan.frame_plan import GroupName
from nuvett.core.plan.operation import ColourOperation, Operation
from nuvett.core.reading.palette import Palette
from nuvett.core.spaces.names import colour_name
from nuvett.core.types import Document, Floats, OKLab

PARTS = {"both": "colour and tone", "colour": "colour only", "tone": "tone only"}
"""Words for what of a colour a step may change."""


MAX = 1.5
"""Of what goes toward a target that is taken at most, however many amounts ask for more."""

Instrument = Literal["pairing", "chart", "curve", "greys"]
"""What is shown with a step while it is open."""


@dataclass(frozen=True)
class Aim:
    """A target made ready for planning: its statistics, the palette that colour moves go to, and the one shown.

    parts : statistics of the named parts that areas can be brought to, by their keys
    """

    statistics: Statistics
    palette: Palette
    shown: Palette = ()
    parts: Mapping[str, Statistics] = field(default_factory=dict)


@dataclass(frozen=True)
class Ask:
    """What a step is asked to resolve for: a frame and what has been resolved before it in the same group.

    frame : statistics of the colours that come into the group
    aim : the target
    light : the frame's even light; centres : of the skin of faces in the frame, evened
    aimed : whether there is a target at all; where there is none the frame itself stands for it
    colour : 0 to 1, weakens the fitted colour steps
    keep : what the fitted steps leave of a thing's own colour
    so_far : operations of the steps before
    """

    frame: Statistics
    aim: Aim
    light: EvenLight = field(default_factory=EvenLight)
    centres: tuple[Centre, ...] = ()
    aimed: bool = True
    colour: float = 1
    keep: KeepOperation = field(default_factory=KeepOperation)
    so_far: tuple[Operation, ...] = ()

    @property
    def tone(self) -> Floats:
        """The tone curve (129,) so far."""
        return next((np.asarray(o.curve) for o in self.so_far if isinstance(o, ToneOperation)), TONE_GRID)

    def through(self, lab: OKLab) -> OKLab:
        """OKLab colours (N, 3) of the frame after what was resolved so far, with what is kept from it."""
        colours = [o for o in self.so_far if isinstance(o, ColourOperation)]
        return through([*colours, self.keep], lab)


class Step(Document):
    """One step of a look or a trim. Its numbers and choices are described on their fields.

    name : of the field that holds it in a look; title : how people call it
    instrument : what is shown with it while it is open
    in_trims, in_areas : whether a trim may have it, and an area of a look or trim
    group : of operations that it belongs to; fitted : whether it looks at the colours that come into it
    guards : whether it evens or guards against the others, so that nobody asks more or less of it
    """

    name: ClassVar[str]
    title: ClassVar[str]
    instrument: ClassVar[Instrument | None] = None
    in_trims: ClassVar[bool] = True
    in_areas: ClassVar[bool] = True
    group: ClassVar[GroupName] = "look"
    fitted: ClassVar[bool] = False
    guards: ClassVar[bool] = False

    on: bool = True

    @property
    def is_idle(self) -> bool:
        """Whether it does nothing."""
        return not self.on or self._does_nothing

    @property
    def needs_target(self) -> bool:
        """Whether all that it does comes from a target, so that it waits while there is none."""
        return False

    def acts(self, aimed: bool) -> bool:
        """Whether it does something, where there is a target or not."""
        return not self.is_idle and (aimed or not self.needs_target)

    @property
    @abstractmethod
    def _does_nothing(self) -> bool:
        """Whether it does nothing although it is on."""

    @property
    @abstractmethod
    def sentence(self) -> str:
        """What it does, after its title; names of fields in braces stand for their live values with units."""

    @property
    def more(self) -> tuple[str, ...]:
        """Further sentences, for while it is open."""
        return ()

    @abstractmethod
    def resolve(self, ask: Ask) -> tuple[Operation, ...]:
        """Operations that do what it says, when it is not idle."""

    def changes(self, after: Self) -> list[str]:
        """What changed beside numbers and choices, in words."""
        return []

    @classmethod
    def brought_in(cls) -> Self:
        """The step as it begins when someone brings it in: switched on, with its usual values."""
        return cls(on=True)


def changed(before: Step | None, after: Step | None) -> list[str]:
    """What changed between two states of a step, in words: "Tone 75 to 68 %"; none is a step that is not there."""
    if before is None and after is None:
        return []
    if after is None:
        return [f"{before.title} taken out"] if before is not None else []
    if before is None:
        return changed(type(after).brought_in(), after) or [f"{after.title} brought in"]
    said = []
    if before.on != after.on:
        said.append(f"{before.title} {'on' if after.on else 'off'}")
    for name, words in choices_of(type(before)).items():
        if getattr(before, name) != getattr(after, name):
            said.append(f"{before.title}: {words.words[getattr(after, name)]}")
    for name, number_words in numbers_of(type(before)).items():
        old, new = getattr(before, name), getattr(after, name)
        if old != new:
            said.append(f"{number_words.label} {number_words.bare(old)} to {number_words.written(new)}")
    return said + before.changes(after)


def part() -> Any:
    """The choice of what of a colour a step may change."""
    return choice("both", "acts on", PARTS)


def taken(step: Step) -> str:
    """The end of a step's sentence: how much of it is taken and of what, where that is not simply all of it."""
    return "" if _is_whole(step) else f"; {_share_of(step)}"


def taken_below(step: Step) -> tuple[str, ...]:
    """The same among the further sentences, where the first one leaves it out."""
    return (_share_of(step),) if _is_whole(step) else ()


def _is_whole(step: Step) -> bool:
    return getattr(step, "amount", 100) == 100 and getattr(step, "part", "both") == "both"


def _share_of(step: Step) -> str:
    return "{amount} of that, {part}" if "part" in choices_of(type(step)) else "{amount} of that"


class _Switched(Protocol):
    @property
    def on(self) -> bool: ...


def part_switched(before: _Switched, after: _Switched) -> str:
    """What to add to the words for a part of a step that changed: whether it was switched on or off."""
    return "" if before.on == after.on else f" {'on' if after.on else 'off'}"


def colour_word(colour: Sequence[float] | OKLab) -> str:
    """An OKLab colour in words."""
    return colour_name(OKLab(np.array(colour, dtype=np.float32)))
