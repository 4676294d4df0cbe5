"""What the lookbook shows of its looks: their newest versions, with palettes, by group, words and order."""

import uuid
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Literal

from pydantic import TypeAdapter
from sqlalchemy import func, or_, select
from sqlalchemy.dialects.postgresql import distinct_on
from sqlalchemy.orm import Session

from nuvett.core.book.kept import AIM_COLOUR, AIM_TONE
from nuvett.core.reading.palette import Palette
from nuvett.core.steps.lookup import TableStep
from nuvett.services.lookbook.book import AWAY, KEPT, TRIAL, version_of
from nuvett.services.lookbook.pair_looks import WorkedOutLook
from nuvett.store import models

_PALETTE: TypeAdapter[Palette] = TypeAdapter(Palette)
Show = Literal["all", "favourites", "away", "trial"]


@dataclass(frozen=True)
class Entry:
    """One kept look in the list, by its newest version; `table` is its lookup table where it is nothing else."""

    id: uuid.UUID
    number: int
    name: str
    use_when: str
    group: str
    favourite: bool
    strength: float
    state: str
    starter: bool
    came_from: str
    used: datetime | None
    palette: Palette
    aims: bool
    thumbnail: str
    table: str
    problem: str


@dataclass(frozen=True)
class BookFilter:
    """Which looks are listed: all of them, favourites, those put away or on trial, or a group; and by some words."""

    show: Show = "all"
    group: str = ""
    find: str = ""
    only: uuid.UUID | None = None


def entries(session: Session, asked: BookFilter) -> list[Entry]:
    """Kept looks as asked for, by name."""
    look, version, target = models.KeptLookRow, models.KeptVersionRow, models.TargetRow
    newest = (
        select(version.look_id, version.number, version.target_id, version.document)
        .ext(distinct_on(version.look_id))
        .order_by(version.look_id, version.number.desc())
        .subquery()
    )
    table = newest.c.document["look"]["table"]["table"].astext
    query = (
        select(
            look,
            newest.c.number,
            target.document["palette"],
            table,
            newest.c.document["parts"],
            models.LookupTableRow.problem,
        )
        .join(newest, newest.c.look_id == look.id)
        .outerjoin(target, target.id == newest.c.target_id)
        .outerjoin(models.LookupTableRow, models.LookupTableRow.file == table)
        .order_by(func.lower(look.name))
    )
    query = query.where(look.id == asked.only) if asked.only else query.where(look.state == _state(asked))
    if asked.show == "favourites":
        query = query.where(look.favourite)
    if asked.group:
        query = query.where(look.group == asked.group)
    for word in asked.find.split():
        query = query.where(or_(*(part.icontains(word, autoescape=True) for part in (look.name, look.use_when))))
    return [_entry(*row) for row in session.execute(query)]


def _state(asked: BookFilter) -> str:
    return {"away": AWAY, "trial": TRIAL}.get(asked.show, KEPT)


def _entry(
    row: models.KeptLookRow, number: int, palette: object, table: str, parts: Sequence[str], problem: str | None
) -> Entry:
    return Entry(
        id=row.id,
        number=number,
        name=row.name,
        use_when=row.use_when,
        group=row.group,
        favourite=row.favourite,
        strength=row.strength,
        state=row.state,
        starter=bool(row.starter),
        came_from=row.came_from,
        used=row.used,
        palette=_PALETTE.validate_python(palette) if palette else (),
        aims=bool(palette) and bool({AIM_TONE, AIM_COLOUR} & set(parts)),
        thumbnail=row.thumbnail or "",
        table=table or "",
        problem=problem or "",
    )


@dataclass(frozen=True)
class Counts:
    """How many looks there are: kept, favourites, put away, on trial, and by group in the order of their names."""

    all: int
    favourites: int
    away: int
    trial: int
    groups: tuple[tuple[str, int], ...]


def counts(session: Session) -> Counts:
    """How many looks are in the book."""
    look = models.KeptLookRow
    kept = look.state == KEPT
    total, favourites, away, trial = session.execute(
        select(
            func.count().filter(kept),
            func.count().filter(kept, look.favourite),
            func.count().filter(look.state == AWAY),
            func.count().filter(look.state == TRIAL),
        )
    ).one()
    groups = session.execute(
        select(look.group, func.count()).where(kept, look.group != "").group_by(look.group).order_by(look.group)
    )
    return Counts(total, favourites, away, trial, tuple((name, count) for name, count in groups))


def group_names(session: Session) -> list[str]:
    """Names of the groups that looks stand in."""
    look = models.KeptLookRow
    query = select(look.group).where(look.state == KEPT, look.group != "").group_by(look.group).order_by(look.group)
    return list(session.scalars(query))


def names(session: Session) -> list[tuple[str, str]]:
    """Ids and names of all kept looks, favourites first."""
    look = models.KeptLookRow
    query = select(look.id, look.name).where(look.state == KEPT).order_by(look.favourite.desc(), func.lower(look.name))
    return [(str(found), name) for found, name in session.execute(query)]


def versions(session: Session, look_id: uuid.UUID) -> list[models.KeptVersionRow]:
    """Versions of a kept look, newest first, without their documents."""
    query = select(models.KeptVersionRow).where(models.KeptVersionRow.look_id == look_id)
    return list(session.scalars(query.order_by(models.KeptVersionRow.number.desc())))


def version_numbers(session: Session) -> dict[uuid.UUID, list[int]]:
    """Numbers of the versions of all looks, by their ids, newest first."""
    version, found = models.KeptVersionRow, dict[uuid.UUID, list[int]]()
    for look_id, number in session.execute(select(version.look_id, version.number).order_by(version.number.desc())):
        found.setdefault(look_id, []).append(number)
    return found


def pairs_of(session: Session, look_id: uuid.UUID) -> list[models.PairRow]:
    """Pairs that a look was worked out from."""
    return list(
        session.scalars(
            select(models.PairRow).where(models.PairRow.look_id == look_id).order_by(models.PairRow.position)
        )
    )


def found_of(session: Session, look_id: uuid.UUID) -> WorkedOutLook | None:
    """What working a look out found; none for one that was not."""
    row = session.get(models.WorkedOutRow, look_id)
    return WorkedOutLook.model_validate(row.document) if row else None


def finished_of(session: Session, look_id: uuid.UUID) -> list[models.FinishedRow]:
    """Finished pictures that a look was read from."""
    query = select(models.FinishedRow).where(models.FinishedRow.look_id == look_id)
    return list(session.scalars(query.order_by(models.FinishedRow.name)))


@dataclass(frozen=True)
class TableFacts:
    """The table of a look: what it is, what the look takes it to expect, and what that was told from."""

    kind: str
    expects: str
    words: str


def table_of(session: Session, look_id: uuid.UUID) -> TableFacts | None:
    """The lookup table of a look's newest version; none where it has none."""
    step = version_of(session, look_id).kept.look.step(TableStep)
    row = session.get(models.LookupTableRow, step.table.digest) if step.table.digest else None
    return TableFacts(row.kind, step.expects, row.words) if row else None


def tables_kept(session: Session) -> list[tuple[str, str, str]]:
    """Lookup tables that can be used: digest, name and what each seems to expect, by name."""
    table = models.LookupTableRow
    query = select(table.file, table.name, table.expects).where(table.state != "refused")
    return [(file, name, expects) for file, name, expects in session.execute(query.order_by(func.lower(table.name)))]
