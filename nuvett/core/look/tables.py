"""Lookup tables that looks and trims name: which they are, and their colours put at hand for planning."""

from typing import TypeVar

from nuvett.core.look.look import Look
from nuvett.core.look.trim import Trim
from nuvett.core.look.with_steps import WithSteps
from nuvett.core.steps.lookup import TableStep
from nuvett.core.table.held import FindTable

_Kept = TypeVar("_Kept", Look, Trim)
_Part = TypeVar("_Part", bound=WithSteps)


def tables_of(document: Look | Trim) -> dict[str, str]:
    """Digests of the tables that a document uses, everywhere and in areas, each with what it is called there."""
    steps = (part.step(TableStep) for part in (document, *document.areas))
    return {step.table.digest: step.called for step in steps if step.table.digest}


def with_tables(document: _Kept, find: FindTable) -> _Kept:
    """A document with the colours of its tables at hand; a step whose table is not kept is left out."""
    if not tables_of(document):
        return document
    made = _part_with(document, find)
    return made.model_copy(update={"areas": tuple(_part_with(own, find) for own in document.areas)})


def _part_with(part: _Part, find: FindTable) -> _Part:
    step = part.step(TableStep)
    if not step.table.digest:
        return part
    table = find(step.table.digest)
    return part.with_step(step.model_copy(update={"on": False} if table is None else {"table": table}))
