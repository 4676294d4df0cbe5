"""The health of a look: what it does wrong on the frames of a series, and what to turn down to mend it."""

from dataclasses import dataclass

from nuvett.core.book.remedies import Remedy, remedy
from nuvett.core.look.look import Look
from nuvett.core.planning.warnings import Note, NoteKind
from nuvett.services.engine.facts import Aimed, Facts
from nuvett.services.engine.workbench import Workbench
from nuvett.services.lookbook.trials import FrameHealth, health_of

KINDS: dict[NoteKind, tuple[str, str]] = {
    "skin": ("Skin", "Skin stays where a person expects it."),
    "clipped": ("Newly clipped", "Nothing runs into white that did not before."),
    "black": ("Lost in black", "Nothing runs into black that did not before."),
    "steep": ("Banding", "Tones stay as smooth as they are seen."),
    "torn": ("Torn colours", "Neighbouring colours stay neighbours."),
    "tinted": ("Whites tinted", "What was white without colour stays so."),
    "richer": ("Richer than the target", "Nothing is richer than the richest of the target."),
    "merged": ("Colours merged", "Colours that were two stay two."),
}
"""What is looked at: its title, and what is said when all is well."""


@dataclass(frozen=True)
class Affected:
    """A frame on which something goes wrong."""

    health: FrameHealth
    note: Note


@dataclass(frozen=True)
class Finding:
    """One thing that was looked at: the frames on which it goes wrong, the worst said first."""

    kind: NoteKind
    affected: tuple[Affected, ...]

    @property
    def title(self) -> str:
        """What it is called."""
        return KINDS[self.kind][0]

    @property
    def words(self) -> str:
        """What was found, in words."""
        if not self.affected:
            return KINDS[self.kind][1]
        count = len(self.affected)
        return f"{count} frame{'' if count == 1 else 's'}: {self.affected[0].note.words}"


@dataclass(frozen=True)
class Health:
    """All that is looked at, on the frames of a series that were looked at so far."""

    findings: list[Finding]
    looked_at: int
    frames: int


def findings_on(bench: Workbench, facts: Facts, aimed: Aimed, most: int | None = None) -> Health:
    """What goes wrong under a look on all frames of a series. most : how many more of them are looked at now"""
    health = health_of(bench, facts, range(len(facts)), aimed, most)
    return Health([Finding(kind, tuple(_affected(health, kind))) for kind in KINDS], len(health), len(facts))


def _affected(health: list[FrameHealth], kind: NoteKind) -> list[Affected]:
    return [Affected(one, note) for one in health for note in one.notes if note.kind == kind]


def remedy_for(bench: Workbench, facts: Facts, aimed: Aimed, kind: NoteKind) -> Remedy | None:
    """The mildest change of a look after which no frame of a series has a finding of a kind; none where nothing helps.

    Frames that are known to have it are looked at; a look that is turned down does not do worse on the others.
    """
    health = health_of(bench, facts, range(len(facts)), aimed, 0)
    having = {one.frame.id for one in health if any(note.kind == kind for note in one.notes)}
    places = [i for i, frame in enumerate(facts) if frame.id in having]

    def is_clean(look: Look) -> bool:
        tried = aimed.with_look(look)
        return not any(
            note.kind == kind for place in places for note in health_of(bench, facts, [place], tried)[0].notes
        )

    bands = [note.band for one in health for note in one.notes if note.kind == kind and note.band is not None]
    return remedy(aimed.look, kind, is_clean, bands)


def in_short(health: list[FrameHealth], most: int = 2) -> str:
    """What goes wrong on a few frames, in one short sentence."""
    said = []
    for kind in KINDS:
        affected = _affected(health, kind)
        if affected:
            words = affected[0].note.words
            said.append(words if len(affected) == 1 else f"{words}, on {len(affected)} frames")
    if not said:
        return "no problems on these frames"
    more = f"; {len(said) - most} more" if len(said) > most else ""
    return "; ".join(said[:most]) + more
