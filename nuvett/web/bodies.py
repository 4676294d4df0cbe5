"""Bodies of requests. Documents inside them (looks, trims, samplings) are parsed by their services, which say in words
what is wrong with them."""

import uuid
from typing import Annotated, Any, Literal

from pydantic import BaseModel, BeforeValidator, ConfigDict, Field

from nuvett.core.thread.colours import GoalKind
from nuvett.core.thread.following import Answer
from nuvett.core.thread.holding import WITHIN

Document = dict[str, Any]
Share = Annotated[float, Field(ge=0, le=1)]
Place = tuple[Share, Share]
Index = Annotated[int, Field(ge=0, le=10_000)]
Component = Annotated[float, Field(ge=-2, le=2)]
Coordinate = Annotated[float, Field(ge=-1000, le=1000)]
Row = Annotated[uuid.UUID | None, BeforeValidator(lambda value: value or None)]
"""A row that may be named, or not."""

Short = Annotated[str, Field(max_length=200)]


class Body(BaseModel):
    """What every body keeps to: finite numbers, and fields of their own kind."""

    model_config = ConfigDict(allow_inf_nan=False)


class Weight(Body):
    """Weights of a reference for tone and for colour, in percent."""

    tone: float = Field(ge=0, le=100)
    colour: float = Field(ge=0, le=100)


class ReferenceDraft(Body):
    """A sampling or weights that are only looked at."""

    sampling: Document | None = None
    weights: dict[uuid.UUID, Weight] = {}


class Resampled(Body):
    """A sampling, field by field, and the one that the window had."""

    model_config = ConfigDict(extra="allow")

    was: Document | None = None


class Weights(Body):
    """Weights by reference; `reference` is the one in view."""

    weights: dict[uuid.UUID, Weight]
    reference: Row = None


class ReferenceInView(Body):
    """The reference in view, if any."""

    reference: Row = None


class Picked(Body):
    """A place that was picked, in shares of the picture."""

    place: Place


class PointedPlace(Picked):
    """A place that was picked for something; `frame` where it is not in the address.

    document : the look or trim that it is picked for, area : whose steps are worked on
    """

    what: Literal["area", "move", "hold", "hue", "neutral", "spot"]
    document: Document
    area: Index | None = None
    frame: Row = None


class PaletteEdit(Body):
    """A change of a palette by hand: what is done to which colour, and the sampling that the window had."""

    do: Literal["hold", "let go", "leave out", "merge", "nudge", "replace", "find again"]
    index: Index = 0
    other: Index = 0
    lch: tuple[float, float, float] | None = None
    place: Place | None = None
    was: Document | None = None


class Drag(Body):
    """A handle of an instrument, and the place it was dragged to.

    lab : the colour it stands for, where it does; end : where a line that was drawn ends
    reset : to what it usually says instead, wherever it was
    """

    handle: Short
    x: Coordinate
    y: Coordinate
    lab: tuple[Component, Component, Component] | None = None
    end: tuple[Coordinate, Coordinate] | None = None
    reset: bool = False


class Draft(Body):
    """A look or trim that is only looked at, beside a reference.

    area : whose steps are worked on, none for everywhere; where : which is shown on the picture
    uncut : whether the frame is looked at before its cut
    """

    document: Document
    reference: Row = None
    area: Index | None = None
    where: Index | None = None
    uncut: bool = False
    drag: Drag | None = None
    parts: bool = True
    proofs: bool = False


class LookDraft(Draft):
    """A look that is only looked at, on a frame; `what` names another state of it."""

    frame: Row = None
    what: Short = ""


class Change(Body):
    """A look or trim to be kept, and the revision that it was made upon."""

    document: Document
    revision: int = Field(ge=0, le=2**31 - 1)


class Walk(Body):
    """A step through a history, from the state that has this revision."""

    revision: int = Field(ge=0, le=2**31 - 1)


class ReachedName(Body):
    """A name for what a step of a history reached; empty for none."""

    name: str


class TrimOther(Draft):
    """A trim that is only looked at; `what` names another state of it to stand beside."""

    what: Short = ""


class Proofs(Body):
    """Frames to try the look on; none for the most different ones."""

    frames: list[uuid.UUID] | None = None


class LookCopy(Body):
    """The series whose look is taken, whole or by named parts."""

    series: Short
    parts: list[Short] | None = None
    revision: int = Field(ge=0, le=2**31 - 1)


class ChosenFrames(Body):
    """Frames that were chosen."""

    frames: list[uuid.UUID] = Field(max_length=10_000)


class GivenName(ChosenFrames):
    """A name for what is made of the chosen frames."""

    name: Short


class TrimCopy(ChosenFrames):
    """Named parts of a frame's trim, for the chosen frames; to : the series that those are of, if it is another."""

    frame: uuid.UUID
    to: Short = ""
    parts: list[Short]
    areas: Literal["add", "replace"] = "add"
    about_subject: bool = False


class Lift(Body):
    """Parts of a trim for the look, or under a name for the lookbook; revision : of the trim in the window."""

    parts: list[str] = Field(max_length=60)
    revision: int = Field(ge=0, le=2**31 - 1)
    name: str = ""


class KeptLabels(Body):
    """What a kept look is known by; what is not given stays. How long each may be, the book says in words."""

    name: str | None = None
    use_when: str | None = None
    group: str | None = None
    favourite: bool | None = None
    strength: float | None = None


class KeepParts(Body):
    """Parts of the look in hand that are kept, and the frame in work."""

    parts: list[Short] = Field(max_length=100)
    frame: Row = None


class KeepLook(KeepParts):
    """The look in hand, to be kept under a name."""

    name: str
    use_when: str = ""
    group: str = ""
    favourite: bool = False


class ReviseLook(KeepParts):
    """The look in hand, to be kept as a new version of one, made upon version `number`."""

    number: int = Field(ge=1, le=1_000_000)


class UseLook(Body):
    """A kept look to be used on a series: as its draft, or on chosen frames; the newest version unless one is named."""

    series: Short
    number: int | None = Field(default=None, ge=1, le=1_000_000)
    strength: float = Field(default=100, ge=0, le=100)
    parts: list[Short] | None = Field(default=None, max_length=100)
    frames: list[uuid.UUID] | None = Field(default=None, max_length=10_000)


class TryLook(Body):
    """A kept look to be tried on the frame in work, beside a reference."""

    kept: uuid.UUID
    strength: float = Field(default=100, ge=0, le=100)
    reference: Row = None


class HandOver(Body):
    """What is to be handed over. credits : filled into every file; frames : those chosen, none for all.

    name : that the settings are to be kept by
    """

    settings: Document
    credits: Document = {}
    frames: list[uuid.UUID] | None = None
    name: Short = ""


class FolderToWatch(Body):
    """The form of a watched folder; a box that is not ticked is not sent."""

    folder: Short
    carries: bool = False


class VeilOff(Body):
    """A veil that is taken off a set-up, OKLab."""

    light: Annotated[float, Field(gt=0, le=0.6)]
    a: Annotated[float, Field(ge=-0.2, le=0.2)]
    b: Annotated[float, Field(ge=-0.2, le=0.2)]


class LensChoice(Body):
    """A lens by its key, "auto", "off" or "found"; for the whole series, or for one frame."""

    lens: Short
    everywhere: bool = False


class PlaceOfThread(Body):
    """Where a thing is in a frame.

    thread : none for a new one, which then gets the name; choice : of an outline, none for the likeliest
    """

    thread: Row = None
    name: Annotated[str, Field(max_length=60)] = ""
    pointed: Annotated[list[Document], Field(min_length=1, max_length=100)]
    choice: Annotated[int, Field(ge=-60, le=60)] | None = None
    strokes: Annotated[list[Document], Field(max_length=100)] = []


class AnswerOfThread(Body):
    """Whether a thread is seen where it was asked about."""

    answer: Answer


class ThreadChange(Body):
    """Another name or goal of a thread, or whether it is held; given : a colour, where that is the goal."""

    name: Annotated[str, Field(max_length=200)] | None = None
    goal: GoalKind | None = None
    given: Annotated[str, Field(max_length=80)] = ""
    hold: bool | None = None
    within: Annotated[float, Field(ge=0.3, le=20)] = WITHIN
