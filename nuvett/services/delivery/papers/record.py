"""The record of a delivery: what was aimed at, what was done to each frame, and what was measured of it.

The page for people is made from the same document as is written as JSON.
"""

from datetime import datetime
from functools import cache
from typing import Literal

from jinja2 import Environment, PackageLoader, StrictUndefined
from pydantic import Field

from nuvett.core.look.look import Look
from nuvett.core.look.trim import Trim
from nuvett.core.look.words import in_words
from nuvett.core.types import Document


class ColourShare(Document):
    """A colour as #rrggbb, its name, and its share, 0 to 1."""

    hex: str
    name: str
    share: float = Field(ge=0, le=1)


class StepWords(Document):
    """A step that acts, by its title, and what it does in words."""

    title: str
    words: str


class LookRecord(Document):
    """A version of the look in words, and what it aimed at: a palette, and CIE L* at shares of the tones.

    Both are empty for a look that aims at nothing.
    """

    version: int
    steps: tuple[StepWords, ...]
    palette: tuple[ColourShare, ...]
    tones: tuple[float, ...]


class FileRecord(Document):
    """A finished picture: its frame, the look version, its trim in words, its drift from the target before and after.

    problem : why it could not be made; empty for one that was
    """

    name: str
    frame: str
    taken: datetime | None
    camera: str
    lens: str
    look: int
    light: str
    trim: tuple[StepWords, ...]
    drift_before: float | None
    drift_after: float | None
    drift_words: str
    bytes: int
    sha256: str
    problem: str = ""


class PlaceRecord(Document):
    """A thread in one frame: its colour as it came and as handed over, #rrggbb, and how it is off, in words.

    off : CIEDE2000 from what it should be; none where there is nothing to tell it by
    """

    frame: str
    came: str
    made: str
    off: float | None
    words: str


class ThreadRecord(Document):
    """A thing that was followed: what it should be, and how far its frames are from that, before and after."""

    name: str
    goal: str
    apart_before: float | None
    apart_after: float | None
    places: tuple[PlaceRecord, ...]


class Record(Document):
    """All of a delivery."""

    kind: Literal["nuvett-record"] = "nuvett-record"
    schema_version: Literal[1] = 1
    series: str
    ordered: datetime
    settings: str
    creator: str
    rights: str
    caption: str
    looks: tuple[LookRecord, ...]
    files: tuple[FileRecord, ...]
    threads: tuple[ThreadRecord, ...] = ()

    @property
    def mean_drift(self) -> tuple[float, float] | None:
        """Mean drift before and after, of the files that were made; none where none was measured."""
        pairs = [
            (f.drift_before, f.drift_after)
            for f in self.files
            if not f.problem and f.drift_before is not None and f.drift_after is not None
        ]
        if not pairs:
            return None
        return sum(before for before, _ in pairs) / len(pairs), sum(after for _, after in pairs) / len(pairs)


def steps_in_words(document: Look | Trim, aimed: bool = True) -> tuple[StepWords, ...]:
    """The steps of a look or a trim that act; `aimed` says whether there is a target."""
    return tuple(StepWords(title=title, words=words) for title, words in in_words(document, aimed))


@cache
def _pages() -> Environment:
    return Environment(
        loader=PackageLoader("nuvett.services.delivery.papers", "."),
        autoescape=True,
        undefined=StrictUndefined,
        trim_blocks=True,
        lstrip_blocks=True,
    )


def record_page(record: Record) -> str:
    """The record as one HTML page that needs nothing beside it."""
    return _pages().get_template("record.html").render(record=record)
