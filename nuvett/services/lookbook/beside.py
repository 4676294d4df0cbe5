"""Finished frames beside each other, and one difference between two of them taken over by some amount.

One frame may stand there in several states: versions that were carried, and kept looks tried on it.
"""

import re
import uuid
from dataclasses import dataclass
from typing import Literal

from sqlalchemy.orm import Session

from nuvett.core.book.kept import Use
from nuvett.core.errors import InvalidChangeError, NotFoundError
from nuvett.core.look.common import Common, added, common_changes, with_common
from nuvett.core.look.look import Look
from nuvett.core.plan.frame_plan import FramePlan
from nuvett.core.planning.toward import Difference, by_zone, differences, toward
from nuvett.core.types import OKLab
from nuvett.services.engine.facts import Aimed, Facts, FrameFacts
from nuvett.services.engine.wall import Show, shown_plan
from nuvett.services.engine.workbench import Workbench
from nuvett.services.lookbook.book import version_of
from nuvett.services.lookbook.book_list import names, version_numbers
from nuvett.services.lookbook.trials import aimed_with, ground_of, with_frame_parts
from nuvett.services.looks import looks, wall_states
from nuvett.services.looks.heroes import finish_of
from nuvett.services.looks.trims_of_many import keep_trim
from nuvett.services.platform.studio import Studio
from nuvett.services.series.catalogue import find_frame, find_series, look_of
from nuvett.services.series.frame_facts import series_facts, trim_of
from nuvett.store import models

MAX = 4
FINISHED = ""
"""The state of a frame as it is handed over."""
_KEPT = re.compile(r"kept ([0-9a-f]{8}(?:-[0-9a-f]{4}){3}-[0-9a-f]{12})(?: (\d{1,8}))?")


@dataclass(frozen=True)
class BesideRequest:
    """A frame that stands beside others, in a state of the wall or under a kept look; empty for as it is finished.

    A kept look is spelled "kept" and its id, and the number of a version that is not its newest.
    """

    frame: uuid.UUID
    state: str = FINISHED


@dataclass(frozen=True)
class BesideFrame:
    """A frame as it stands there: its facts among those of its series, and what it is seen under."""

    asked: BesideRequest
    facts: Facts
    index: int
    aimed: Aimed | None
    show: Show | None

    @property
    def frame(self) -> FrameFacts:
        return self.facts[self.index]

    def plan(self, bench: Workbench) -> FramePlan | None:
        """What is done to it; none for as it came."""
        if self.show is not None:
            return shown_plan(bench, self.facts, self.index, self.aimed, self.show)
        return bench.planner.finished(self.facts, self.index, self.aimed)

    def colours(self, bench: Workbench) -> OKLab:
        """Its finished colours (N, 3)."""
        return bench.measures.cloud(self.frame, self.plan(bench))


def standing(session: Session, slug: str, asked: BesideRequest) -> BesideFrame:
    """A frame of a series in a state. Raises NotFoundError for a frame, InvalidChangeError for a state."""
    series = find_series(session, slug)
    find_frame(session, series, asked.frame)
    if asked.state == FINISHED:
        finish = finish_of(session, asked.frame)
        return BesideFrame(asked, finish.facts, finish.index, finish.aimed, None)
    if (kept := _KEPT.fullmatch(asked.state)) is not None:
        return _under_kept(session, series, asked, (uuid.UUID(kept[1]), int(kept[2]) if kept[2] else None))
    facts = series_facts(session, series)
    index = facts.index_of(asked.frame)
    if index is None:
        raise NotFoundError
    state = wall_states.state_of(session, series, facts, asked.state)
    return BesideFrame(asked, facts, index, state.aims[index], state.show)


def _under_kept(
    session: Session, series: models.SeriesRow, asked: BesideRequest, look: tuple[uuid.UUID, int | None]
) -> BesideFrame:
    """A frame under a version of a kept look, with what that brings into trims."""
    ground, version = ground_of(session, series), version_of(session, *look)
    index, use = ground.facts.index_of(asked.frame), Use(strength=version.strength)
    if index is None:
        raise NotFoundError
    facts = with_frame_parts(ground.facts, [index], version, use)
    return BesideFrame(asked, facts, index, aimed_with(ground, version, use), None)


def kept_states(session: Session) -> list[tuple[str, str]]:
    """Kept looks as states that a frame can stand in, each with its earlier versions, and their words."""
    numbers, found = version_numbers(session), []
    for look_id, name in names(session):
        found.append((f"kept {look_id}", name))
        earlier = numbers.get(uuid.UUID(look_id), [])[1:]
        found += [(f"kept {look_id} {number}", f"{name}, version {number}") for number in earlier]
    return found


@dataclass(frozen=True)
class Told:
    """What tells a frame from the first one: differences of the first from it, and by zone."""

    differences: tuple[Difference, ...]
    zones: tuple[tuple[str, float], ...]


def told(bench: Workbench, own: BesideFrame, first: BesideFrame) -> Told:
    """What the first frame is that another is not."""
    here, there = own.colours(bench), first.colours(bench)
    return Told(differences(here, there), by_zone(here, there))


def go(
    studio: Studio,
    slug: str,
    pair: tuple[BesideRequest, BesideRequest],
    kind: str,
    share: float,
    into: Literal["trim", "look"],
) -> str:
    """Let a frame go a share, 0 to 1, of the way to another one in a kind of difference; in words.

    pair : the frame, and the one that it goes toward
    into : the frame's own trim, or what the trims of all frames begin from. One step of either's history; no
    transaction is open while it is worked out. Raises InvalidChangeError for a kind that is not there, NotFoundError.
    """
    with studio.database.session() as session:
        own, other = (standing(session, slug, asked) for asked in pair)
        revision = look_of(session, find_series(session, slug)).revision
    try:
        common = toward(own.colours(studio.bench), other.colours(studio.bench), kind, share)
    except KeyError as error:
        raise InvalidChangeError("There is no such difference.") from error
    if common.is_none:
        raise InvalidChangeError("They do not differ enough in that to take a step.")
    with studio.database.session() as session:
        series = find_series(session, slug)
        frame, name = find_frame(session, series, pair[0].frame), find_frame(session, series, pair[1].frame).name
        said = common_changes(Common(), common)[0].replace(" in common", "")
        if into == "trim":
            keep_trim(session, frame, with_common(trim_of(frame), common), f"Toward {name}: ")
            return f"{frame.name}: {said}"
        look = Look.model_validate(look_of(session, series).draft)
        after = look.model_copy(update={"common": added(look.common, common)})
        looks.change_look(session, series, after, revision, f"Toward {name}: {said}")
        return f"Trims of all frames begin from {said}, once the look is carried"
