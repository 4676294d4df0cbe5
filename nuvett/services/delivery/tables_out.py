"""Tables written from a look: one that a series shares, or one for each of its frames; and what they cannot carry."""

import uuid
from collections.abc import Iterator
from dataclasses import dataclass

from sqlalchemy.orm import Session
from zipstream import ZIP_DEFLATED, ZipStream

from nuvett.core.errors import InvalidChangeError, NotFoundError
from nuvett.core.plan.compile import compile_plan
from nuvett.core.plan.frame_plan import FramePlan
from nuvett.core.planning.in_tables import evens, finishes, skin_astray
from nuvett.core.planning.series import natural
from nuvett.core.spaces.rgb import Space
from nuvett.core.table.cdl import nearest_cdl
from nuvett.core.table.table import USUAL_SIZE
from nuvett.core.types import Floats
from nuvett.imaging.tables import TableFormat, table_text
from nuvett.services.delivery.file_names import Labelled, Pattern, file_names
from nuvett.services.engine.facts import Aimed, Facts
from nuvett.services.engine.workbench import Workbench
from nuvett.services.looks.looks import draft_of
from nuvett.services.series.frame_facts import series_facts
from nuvett.store import models

SMALLEST, LARGEST_OUT = 9, 129


def check_size(size: int) -> int:
    """A size that a table can be written at. Raises InvalidChangeError for another one."""
    if not SMALLEST <= size <= LARGEST_OUT:
        raise InvalidChangeError(f"A table is written with {SMALLEST} to {LARGEST_OUT} points a side.")
    return size


@dataclass(frozen=True)
class Carries:
    """What a table cannot carry of a look, and what of its held colours it would send astray, in words."""

    lost: tuple[str, ...]
    astray: tuple[str, ...]

    @property
    def words(self) -> tuple[str, ...]:
        """All of it in sentences."""
        lost = [f"A table cannot carry {_listed(self.lost)}."] if self.lost else ["A table carries all of this look."]
        return (*lost, *self.astray)


def _listed(words: tuple[str, ...]) -> str:
    return words[0] if len(words) == 1 else f"{', '.join(words[:-1])} and {words[-1]}"


def what_a_table_carries(bench: Workbench, facts: Facts, aimed: Aimed, each: bool) -> Carries:
    """What a table of a look leaves out on the frames of a series; `each` for one table a frame."""
    plans = [bench.planner.plan(facts, i, aimed) for i in range(len(facts))]
    lost: list[str] = []
    if not each:
        lost += ["even light"] if any(evens(plan) for plan in plans) else []
        lost += ["the fit of each frame"] if aimed.look.pull > 0 and aimed.target else []
        lost += ["trims"] if any(frame.is_trimmed for frame in facts) else []
    else:
        lost += ["crops and turns"] if any(not frame.trim.geometry.is_none for frame in facts) else []
    lost += ["spots painted out"] if any(plan.spots for plan in plans) else []
    lost += ["areas"] if any(plan.layers for plan in plans) else []
    lost += ["the finish (" + _listed(finishes(plans)) + ")"] if finishes(plans) else []
    return Carries(tuple(lost), () if each else tuple(_skin_astray(bench, facts, aimed, plans)))


def _skin_astray(bench: Workbench, facts: Facts, aimed: Aimed, plans: list[FramePlan]) -> list[str]:
    """Where the shared table takes the skin of faces elsewhere than the look does."""
    shared = bench.planner.shared(facts, aimed)
    off = [skin_astray(plan, shared, frame.faces) for frame, plan in zip(facts, plans, strict=True)]
    frames = sum(one > 0 for one in off)
    if not frames:
        return []
    held = "Skin that the look holds" if any(plan.holds_skin for plan in plans) else "Skin"
    return [f"{held} lands up to {max(off):.0f} CIEDE2000 elsewhere, in {frames} frame{'' if frames == 1 else 's'}."]


def one_table(bench: Workbench, facts: Facts, aimed: Aimed, fmt: TableFormat, size: int, title: str) -> str:
    """Text of the table that all frames of a series share."""
    carries = what_a_table_carries(bench, facts, aimed, each=False)
    table = compile_plan(bench.planner.shared(facts, aimed), check_size(size))
    return table_text(table, fmt, title, (*_HOW, *carries.words))


_HOW = ("On encoded sRGB; tetrahedral interpolation advised.",)


def tables_of_frames(
    bench: Workbench, facts: Facts, names: dict[uuid.UUID, str], aimed: Aimed, fmt: TableFormat, size: int
) -> ZipStream:
    """A ZIP with one table for each frame, named like the frames, made while it is sent.

    A table starts from encoded colours of the frame's own file; those of wider spaces are taken as they are there.
    """
    check_size(size)
    ordered = sorted(range(len(facts)), key=lambda i: natural(names[facts[i].id]))
    labels = [Labelled(names[facts[i].id]) for i in ordered]
    archive = ZipStream(compress_type=ZIP_DEFLATED)
    for i, name in zip(ordered, file_names([Pattern("{name}", fmt.value)], "", labels).names, strict=True):
        archive.add(_text_of(bench, facts, i, aimed, (fmt, size, names[facts[i].id])), name)
    return archive


def _text_of(
    bench: Workbench, facts: Facts, index: int, aimed: Aimed, form: tuple[TableFormat, int, str]
) -> Iterator[bytes]:
    fmt, size, title = form
    table: Floats = compile_plan(bench.planner.plan(facts, index, aimed), size, facts[index].domain, Space.SRGB)
    domain = facts[index].domain
    note = f"For {title} as it came, in {domain.value}; gives sRGB. Tetrahedral interpolation advised."
    yield table_text(table, fmt, title, (note,)).encode()


_SHARED_NOTES = (
    "The part of the look that all frames share, on encoded sRGB, tetrahedral interpolation advised.",
    "A table cannot carry: even light, the fit of each frame, the finish, areas, trims.",
)


def parse_table_format(suffix: str) -> TableFormat:
    """Table format of a suffix without its dot. Raises NotFoundError for another one."""
    try:
        return TableFormat(f".{suffix}")
    except ValueError as error:
        raise NotFoundError from error


def shared_table(bench: Workbench, facts: Facts, aimed: Aimed, fmt: TableFormat, size: int, title: str) -> str:
    """A look's shared part as the text of a table."""
    return table_text(compile_plan(bench.planner.shared(facts, aimed), size), fmt, title, _SHARED_NOTES)


def drafted(session: Session, series: models.SeriesRow) -> tuple[Facts, Aimed]:
    """Frames and draft of a series. Raises InvalidChangeError before there is a frame."""
    aimed = draft_of(session, series)
    facts = series_facts(session, series)
    if not facts:
        raise InvalidChangeError("There is no look to write yet: gather frames first.")
    return facts, aimed


def shared_cdl_words(bench: Workbench, facts: Facts, aimed: Aimed) -> str:
    """How far the CDL of a look's shared part misses its Cube."""
    return nearest_cdl(compile_plan(bench.planner.shared(facts, aimed), USUAL_SIZE)).words
