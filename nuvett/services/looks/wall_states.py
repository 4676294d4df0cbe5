"""What a wall can show of a series: as it came, evened, carried, the draft in any way, or a version carried before."""

import re
from dataclasses import dataclass
from typing import get_args

from sqlalchemy import select
from sqlalchemy.orm import Session

from nuvett.core.look.ways import IN_SHORT, Way
from nuvett.core.planning.nearer import ways_of
from nuvett.services.engine.facts import Aimed, Facts
from nuvett.services.engine.wall import Show
from nuvett.services.looks.carrying import CarryState, followings, version_numbered, versions_followed
from nuvett.services.looks.looks import draft_of
from nuvett.services.series.catalogue import look_of
from nuvett.store import models

_BY = "by-"
ORIGINAL, EVENED, CARRIED, DRAFT, RENEWED = "original", "evened", "carried", "draft", "renewed"
_MAX_VERSIONS = 20


@dataclass(frozen=True)
class StateChoice:
    """A state that can be chosen: as addresses spell it, and in words."""

    key: str
    words: str


@dataclass(frozen=True)
class WallState:
    """A state of a wall: what it shows of frames, and the look that each is seen under.

    numbers : of the versions that frames are seen under, 0 for none
    """

    key: str
    show: Show
    aims: list[Aimed | None]
    numbers: list[int]

    def words_on(self, index: int) -> str:
        """What a frame is seen under, in words."""
        number = self.numbers[index]
        if not number:
            return "As it came"
        return {CARRIED: f"Carried, v{number}", RENEWED: f"v{number} anew"}.get(self.key, f"v{number}")


def choices(state: CarryState) -> list[StateChoice]:
    """States that a series can be seen in, beside the versions that were carried."""
    found = [StateChoice(ORIGINAL, "Original"), StateChoice(EVENED, "Evened")]
    if state.following:
        found.append(StateChoice(CARRIED, "Carried"))
    found.append(StateChoice(DRAFT, "Draft" if state.following else "With look"))
    if state.stale:
        found.append(StateChoice(RENEWED, "Carried anew"))
    return found


def versions(session: Session, series: models.SeriesRow) -> list[StateChoice]:
    """Versions that were carried, the newest first."""
    rows = session.scalars(
        select(models.LookVersionRow.number)
        .where(models.LookVersionRow.look_id == look_of(session, series).id)
        .order_by(models.LookVersionRow.number.desc())
        .limit(_MAX_VERSIONS)
    )
    return [StateChoice(f"v{number}", f"v{number}") for number in rows]


def ways(draft: Aimed | None) -> list[StateChoice]:
    """The draft as it arrives in each way everywhere, whatever set-ups say; none where there is only one way."""
    found = ways_of(draft.look) if draft and draft.target else ()
    return [StateChoice(f"{_BY}{way}", IN_SHORT[way]) for way in found] if len(found) > 1 else []


def usual_state(state: CarryState) -> str:
    """What a wall shows unasked: what is carried, once anything is."""
    return CARRIED if state.following else DRAFT


def state_of(session: Session, series: models.SeriesRow, facts: Facts, key: str) -> WallState:
    """A state of the wall by its key. Raises InvalidChangeError for a state that is not there."""
    draft = draft_of(session, series)
    if key in (ORIGINAL, EVENED, DRAFT):
        show = {ORIGINAL: Show.ORIGINAL, EVENED: Show.EVENED, DRAFT: Show.LOOK}[key]
        return WallState(key, show, [draft] * len(facts), [0] * len(facts))
    way = _ways_by_key().get(key)
    if way is not None and draft is not None:
        return WallState(key, Show.LOOK, [draft.with_look(draft.look.arriving(way))] * len(facts), [0] * len(facts))
    if key in (CARRIED, RENEWED):
        followed = versions_followed(session, series)
        aims = [followed[frame.id].aimed if frame.id in followed else None for frame in facts]
        if key == RENEWED:
            aims = [aimed.anew() if aimed else None for aimed in aims]
        numbers = [followed[frame.id].number if frame.id in followed else 0 for frame in facts]
        return WallState(key, Show.LOOK, aims, numbers)
    named = re.fullmatch(r"v(\d{1,8})", key)
    row = version_numbered(session, series, int(named[1]) if named else 0)
    aimed = followings(session, {row.id})[row.id].aimed
    return WallState(key, Show.LOOK, [aimed] * len(facts), [row.number] * len(facts))


def _ways_by_key() -> dict[str, Way]:
    return {f"{_BY}{way}": way for way in get_args(Way)}
