"""The easel: a frame in work with the document that is being made for it, a look or a trim, and its pictures."""

import uuid
from dataclasses import dataclass, field, replace
from typing import TypedDict

import numpy as np
from sqlalchemy.orm import Session

from nuvett.core.area.area import Area
from nuvett.core.geometry.geometry import Cut
from nuvett.core.geometry.lens import LensCorrection
from nuvett.core.look.look import Look
from nuvett.core.look.trim import Trim
from nuvett.core.plan.frame_plan import FramePlan, GroupName
from nuvett.core.planning.planning import UNTOUCHED
from nuvett.services.engine.facts import Aimed, Facts, FrameFacts
from nuvett.services.engine.wall import Show, shown_plan
from nuvett.services.engine.workbench import Workbench
from nuvett.services.looks import carrying, looks, wall_states
from nuvett.services.references import kept_references
from nuvett.services.series import frame_facts
from nuvett.services.series.catalogue import find_series, look_of
from nuvett.services.series.labels import FrameLabels, labels_of
from nuvett.services.series.rows import Reference, Series
from nuvett.web.views.tiles import picture_address

EDGE = 1280
_SHIFTS = 17  # places a side that a lens's shifts are told at; between them they are even to a thousandth of a side


@dataclass(frozen=True)
class Easel:
    """A frame of a series, what it is planned under, and the reference that stands beside it.

    group : what is being made: the look, or the frame's trim; area : which area of it is worked in, none for everywhere
    """

    slug: str
    facts: Facts
    index: int
    aimed: Aimed | None
    labels: dict[uuid.UUID, FrameLabels]
    reference: Reference | None = None
    proofs: tuple[uuid.UUID, ...] = ()
    group: GroupName = "look"
    area: int | None = None
    aims: dict[uuid.UUID, Aimed] = field(default_factory=dict)

    @property
    def frame(self) -> FrameFacts:
        return self.facts[self.index]

    @property
    def where(self) -> str:
        """The group or layer of the plan that is worked in."""
        return self.group if self.area is None else f"{self.group}.{self.area}"

    def with_look(self, look: Look) -> "Easel":
        """The same easel with another look on it."""
        return self if self.aimed is None else replace(self, aimed=self.aimed.with_look(look))

    def with_trim(self, trim: Trim) -> "Easel":
        """The same easel with another trim of its frame."""
        return replace(self, facts=self.facts.with_trim(self.index, trim))

    def with_document(self, document: Look | Trim) -> "Easel":
        """The same easel with another state of what is being made on it."""
        return self.with_look(document) if isinstance(document, Look) else self.with_trim(document)

    def uncut(self) -> "Easel":
        """The same easel with the whole of its frame on it, as it is while the cut is being made."""
        geometry = self.frame.trim.geometry.model_copy(update={"uncut": True})
        return self.with_trim(self.frame.trim.model_copy(update={"geometry": geometry}))

    def at(self, index: int) -> "Easel":
        """The same easel with another frame on it, under what that frame follows."""
        aimed = self.aims.get(self.facts[index].id) if self.group == "trim" else self.aimed
        return replace(self, index=index, aimed=aimed)


def _begun(
    session: Session, slug: str, reference: uuid.UUID | None
) -> tuple[Series, Facts, dict[uuid.UUID, FrameLabels], Reference | None]:
    series = find_series(session, slug)
    facts = frame_facts.series_facts(session, series)
    ready = kept_references.ready_references(session, series.id, readings=False)
    heaviest = max(ready, key=lambda r: r.tone_weight + r.colour_weight, default=None)
    chosen = next((r for r in ready if r.id == reference), heaviest)
    return series, facts, labels_of(session, series), chosen


def _index_of(facts: Facts, frame: uuid.UUID | None, hero: uuid.UUID | None) -> int:
    return facts.index_of(frame or hero) or 0


def easel_for_look(session: Session, slug: str, frame: uuid.UUID | None, reference: uuid.UUID | None) -> Easel | None:
    """The easel that the draft of a look is made on; none while there is no measured frame."""
    series, facts, labels, chosen = _begun(session, slug, reference)
    if not facts:
        return None
    row = look_of(session, series)
    aimed = looks.draft_of(session, series, row)
    return Easel(slug, facts, _index_of(facts, frame, series.hero_id), aimed, labels, chosen, looks.proofs_of(row))


def easel_for_trim(session: Session, slug: str, frame: uuid.UUID | None, reference: uuid.UUID | None) -> Easel | None:
    """The easel that a frame is trimmed on, under the version it follows; none while there is no measured frame."""
    series, facts, labels, chosen = _begun(session, slug, reference)
    if not facts:
        return None
    aims = {frame: following.aimed for frame, following in carrying.versions_followed(session, series).items()}
    index = _index_of(facts, frame, series.hero_id)
    return Easel(slug, facts, index, aims.get(facts[index].id), labels, chosen, group="trim", aims=aims)


def easel_for_wall(
    session: Session, slug: str, frame: uuid.UUID, reference: uuid.UUID | None, state: str
) -> tuple[Easel | None, str]:
    """The easel with a frame as a wall shows it in a state, and what that is called; the draft for other states.

    Raises InvalidChangeError for a version that is not there.
    """
    bare = easel_for_trim(session, slug, frame, reference)
    if bare is None or state in ("", wall_states.ORIGINAL, wall_states.EVENED, wall_states.DRAFT):
        return easel_for_look(session, slug, frame, reference) or bare, ""
    shown = wall_states.state_of(session, find_series(session, slug), bare.facts, state)
    aimed = shown.aims[bare.index]
    return (bare if aimed is None else replace(bare, group="look", aimed=aimed)), shown.words_on(bare.index)


def plan_on(bench: Workbench, easel: Easel) -> FramePlan:
    """The plan of the frame on an easel."""
    return bench.planner.finished(easel.facts, easel.index, easel.aimed)


def evened_on(bench: Workbench, easel: Easel) -> FramePlan:
    """The plan that only evens the light of the frame on an easel, as areas look at it."""
    if easel.aimed is None:
        return bench.planner.as_came(easel.frame) or UNTOUCHED
    return bench.planner.evened(easel.frame, easel.aimed.look)


def plans_shown(bench: Workbench, easel: Easel) -> dict[str, FramePlan | None]:
    """Plans of the pictures that the viewer can show of the frame, by what it calls them; none as it came."""
    if easel.group == "look":
        shown = {show.value: show for show in Show}
        return {name: shown_plan(bench, easel.facts, easel.index, easel.aimed, show) for name, show in shown.items()}
    bare = easel.with_trim(Trim(geometry=easel.frame.trim.geometry))
    plain = plan_on(bench, bare) if easel.aimed else bench.planner.as_came(easel.frame)
    return {"original": bench.planner.as_came(easel.frame), "untrimmed": plain, "look": plan_on(bench, easel)}


class Shifts(TypedDict):
    """By how much a lens moved places, rows of [x, y] at even places: from the file to the picture, and back."""

    there: list[list[list[float]]]
    back: list[list[list[float]]]


class FramePlacing(TypedDict):
    """What is seen of a frame: size in pixels, that of the uncut original, and where places of that one are seen.

    lens : what is undone of it first, none where nothing is
    seen : rows of a 3 by 3 matrix from shares of the original, its lens undone, to shares of what is seen
    cut : left, top, width and height of the cut as it is taken, in shares of the canvas before it
    """

    width: int
    height: int
    original: tuple[int, int]
    lens: Shifts | None
    seen: list[list[float]]
    cut: Cut


def placed(easel: Easel) -> FramePlacing:
    """What is seen of the frame on an easel."""
    frame = easel.frame
    size = (frame.width, frame.height)
    geometry = frame.trim.geometry
    placing = geometry.placed(size)
    return {
        "width": placing.size[0],
        "height": placing.size[1],
        "original": size,
        "lens": _shifts(frame.lens, size) if frame.lens and frame.lens.bends else None,
        "seen": np.linalg.inv(placing.matrix).tolist(),
        "cut": geometry.effective_cut(size),
    }


def _shifts(lens: LensCorrection, size: tuple[int, int]) -> Shifts:
    there, back = (np.round(shifts.astype(float), 6).tolist() for shifts in lens.shifts(size, _SHIFTS))
    return {"there": there, "back": back}


def where_address(bench: Workbench, easel: Easel, area: Area) -> str:
    """Address of the veil that leaves an area of the frame open."""
    plan = bench.planner.where(easel.frame, easel.aimed.look if easel.aimed else None, area)
    bench.plans.keep(plan)
    return f"/series/{easel.slug}/frames/{easel.frame.id}/veil.png?plan={plan.key}&what=where"


def addresses(bench: Workbench, easel: Easel, edge: int = EDGE) -> dict[str, str]:
    """Addresses of the frame's pictures, by what the viewer calls them."""
    plans = plans_shown(bench, easel)
    bench.plans.keep(*plans.values())
    return {
        name: picture_address(easel.slug, easel.frame.id, plan.key if plan else "", edge)
        for name, plan in plans.items()
    }
