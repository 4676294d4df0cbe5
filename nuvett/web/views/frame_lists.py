"""Frames of a series to choose from: all of them where they are few, else those around one, and the rest when asked."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Literal, Protocol
from uuid import UUID

from pydantic import BaseModel, ConfigDict, Field

from nuvett.services.engine.facts import FrameFacts
from nuvett.services.series.labels import FrameLabels

_SHORT = 120  # frames of a series that are listed on a page at once
_AROUND = 20  # on each side of the frame in work, of a longer one


class Marked(Protocol):
    """A frame as a person finds it among others."""

    @property
    def name(self) -> str: ...
    @property
    def favourite(self) -> bool: ...
    @property
    def left_out(self) -> bool: ...


class FramesAsked(BaseModel):
    """Which frames of a series are asked for."""

    model_config = ConfigDict(extra="ignore")

    only: Literal["all", "favourites", "wanted", "left-out"] = "all"
    find: str = Field(default="", max_length=120)

    def finds(self, frame: Marked) -> bool:
        """Whether a frame is among those that are asked for."""
        kept = {"favourites": frame.favourite, "wanted": not frame.left_out, "left-out": frame.left_out}
        return kept.get(self.only, True) and self.find.strip().lower() in frame.name.lower()


@dataclass(frozen=True)
class Choice:
    """A frame, reference or state that can be chosen."""

    id: str
    name: str


def choices_of(frames: Sequence[FrameFacts], labels: Mapping[UUID, FrameLabels]) -> list[Choice]:
    """All of some frames, to choose from."""
    return [Choice(str(frame.id), labels[frame.id].name) for frame in frames]


def is_long(frames: Sequence[FrameFacts]) -> bool:
    """Whether a series has more frames than a page lists at once."""
    return len(frames) > _SHORT


def choices_around(frames: Sequence[FrameFacts], labels: Mapping[UUID, FrameLabels], index: int) -> list[Choice]:
    """Frames that a page lists to choose from, where one of them is in work."""
    if not is_long(frames):
        return choices_of(frames, labels)
    return choices_of(frames[max(0, index - _AROUND) : index + _AROUND + 1], labels)
