"""Kept looks by set-up: which suit its light best, which its frames follow, and one of them carried to them."""

import uuid
from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass

from sqlalchemy.orm import Session

from nuvett.core.book.kept import Use
from nuvett.core.errors import NotFoundError, NuvettError
from nuvett.services.engine.workbench import Workbench
from nuvett.services.lookbook.book import KeptVersion, version_of
from nuvett.services.lookbook.book_list import BookFilter, Entry, entries
from nuvett.services.lookbook.trials import Ground, aimed_with, ground_of, suit_on, with_frame_parts
from nuvett.services.looks.carrying import Following, versions_followed
from nuvett.store import models

_MEASURED, _MAX = 3, 3


@dataclass(frozen=True)
class Suited:
    """A kept look on a set-up: how well it suits, in words and as a cost, and whether it aims at anything."""

    entry: Entry
    words: str
    cost: float
    aims: bool


@dataclass(frozen=True)
class Setting:
    """A set-up that kept looks are tried on: places of its frames, and what frames of the series follow."""

    ground: Ground
    places: tuple[int, ...]
    looks: tuple[tuple[Entry, KeptVersion], ...]
    following: Mapping[uuid.UUID, Following]

    @property
    def frames(self) -> list[uuid.UUID]:
        """Its frames and their variants."""
        return [self.ground.facts[place].id for place in self.places]

    @property
    def followed(self) -> tuple[tuple[int, int], ...]:
        """Numbers of versions with how many of its frames follow them."""
        numbers = Counter(self.following[own].number for own in self.frames if own in self.following)
        return tuple(sorted(numbers.items()))


def setting_of(session: Session, series: models.SeriesRow, setup_id: uuid.UUID) -> Setting:
    """A set-up of a series made ready for trying all kept looks on it. Raises NotFoundError for one that is gone."""
    ground = ground_of(session, series)
    places = tuple(i for i, frame in enumerate(ground.facts) if frame.setup == setup_id)
    if not places:
        raise NotFoundError
    looks = tuple((one, version_of(session, one.id)) for one in entries(session, BookFilter()) if not one.problem)
    return Setting(ground, places, looks, versions_followed(session, series))


def best_suited(bench: Workbench, setting: Setting) -> tuple[list[Suited], str]:
    """The kept looks that suit a set-up best, on a few of its frames; those that aim at nothing after the others.

    No session is open meanwhile. A look that cannot be tried is left out; why the first one could not is told.
    """
    step = max(1, len(setting.places) // _MEASURED)
    measured = setting.places[::step][:_MEASURED]
    found, problem = [], ""
    for entry, version in setting.looks:
        use = Use(strength=entry.strength)
        try:
            facts = with_frame_parts(setting.ground.facts, measured, version, use)
            suit = suit_on(bench, facts, measured, aimed_with(setting.ground, version, use), version.kept.aims)
        except NuvettError as error:
            problem = problem or f"{entry.name}: {error.message}"
            continue
        found.append(Suited(entry, suit.words, suit.cost, version.kept.aims))
    return sorted(found, key=lambda one: (not one.aims, one.cost))[:_MAX], problem
