"""What is said while a look is shaped and carried: what of it goes where, and which of its steps does a frame harm."""

from collections.abc import Sequence
from dataclasses import dataclass

from sqlalchemy.orm import Session

from nuvett.core.look.look import Look
from nuvett.core.look.words import goes
from nuvett.core.planning.warnings import NoteKind
from nuvett.services.engine.facts import Aimed, Facts
from nuvett.services.engine.workbench import Workbench
from nuvett.services.looks.heroes import to_carry
from nuvett.services.looks.looks import aim_of_draft
from nuvett.services.references.targets import frames_read
from nuvett.services.series.catalogue import look_of
from nuvett.services.series.frame_facts import series_facts
from nuvett.services.series.labels import labels_of
from nuvett.store import models

_NAMED = 3


@dataclass(frozen=True)
class Carrying:
    """What carrying the draft would do: what goes, to how many frames, and what stays where it is, with reasons."""

    goes: str
    frames: int
    stays: tuple[str, ...]


def carrying_words(session: Session, series: models.SeriesRow) -> Carrying:
    """What carrying the draft to all frames would do, in words."""
    row = look_of(session, series)
    target = aim_of_draft(session, series, row)
    look = Look.model_validate(row.draft)
    labels, facts = labels_of(session, series), series_facts(session, series)
    wanted = to_carry(labels, target)
    frames = facts.firsts
    gone = len(frames) if wanted is None else len({frame.id for frame in frames}.intersection(wanted))
    read = frames_read(target)
    heroes = [labels[frame.id].name for frame in frames if frame.id in read]
    stays = []
    if heroes:
        stays.append(f"{_listed(heroes)}: the target was read from {'it' if len(heroes) == 1 else 'them'}")
    if left := sum(labels[frame.id].left_out for frame in frames):
        stays.append(f"{left} left out")
    if any(not frame.trim.is_none for frame in frames):
        stays.append("trims, crops and brushes: they belong to their frames")
    return Carrying(goes(look, target is not None), gone, tuple(stays))


def _listed(names: Sequence[str]) -> str:
    more = f" and {len(names) - _NAMED} more" if len(names) > _NAMED else ""
    return f"{', '.join(names[:_NAMED])}{more}"


def cause(bench: Workbench, facts: Facts, index: int, aimed: Aimed, kind: NoteKind) -> str:
    """The step of a look without which something would not go wrong with a frame, by its title; empty for none alone.

    Steps made by hand come first: they were asked for by a number, and are turned down by it.
    """
    frame, aimed = facts[index], aimed.on(facts[index])
    acting = [s for s in aimed.look.steps if s.acts(aimed.target is not None) and not s.guards]
    for step in sorted(acting, key=lambda one: one.needs_target):
        without = aimed.with_look(aimed.look.with_step(step.model_copy(update={"on": False})))
        notes = bench.measures.notes(frame, bench.planner.plan(facts, index, without), aimed)
        if all(note.kind != kind for note in notes):
            return step.title
    return ""
