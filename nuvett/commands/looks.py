"""Looks and trims as the command line takes them: documents, numbers of steps, and what there is to be set."""

import hashlib
import sys
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any, NoReturn, TypeVar

import typer

from nuvett.core.errors import NuvettError
from nuvett.core.fields import choices_of, numbers_of
from nuvett.core.look.look import Look, parse_look
from nuvett.core.look.tables import tables_of
from nuvett.core.look.trim import Trim
from nuvett.core.look.words import LOOK_CHOICES, LOOK_VALUES, plain_sentence
from nuvett.core.planning.usual import usual_look
from nuvett.core.reading.reading import Target
from nuvett.core.steps.even import EvenStep
from nuvett.core.steps.tone import ToneStep
from nuvett.core.table.held import HeldTable
from nuvett.services.engine.tables import table_in
from nuvett.services.platform.documents import parse_change

T = TypeVar("T")
_TABLE_SUFFIXES = (".cube", ".clf", ".cdl", ".cc", ".ccc")


def stop(message: str) -> NoReturn:
    """End with a sentence: the request was not possible and nothing was done."""
    print(message, file=sys.stderr)
    raise typer.Exit(2)


def number_option(path: str) -> Any:
    """An option for a number of looks, with its range and words as its step has them."""
    words = LOOK_VALUES[path]
    return typer.Option(min=words.low, max=words.high, help=f"{words.label}, {words.unit}; usually {words.usual:g}.")


def look_of(path: Path | None, target: Target | None) -> Look:
    """A look from a file, or the usual one for a target, if there is any."""
    return document_of(path, parse_look) or usual_look(target)


def document_of(path: Path | None, parse: Callable[[bytes], T]) -> T | None:
    """A document from a file, none without one; stops with what is wrong with it."""
    if path is None:
        return None
    try:
        return parse(path.read_bytes())
    except NuvettError as error:
        stop(f"{path}: {error.message}")
    except OSError as error:
        stop(f"{path}: {error.strerror or error}.")


def tables_for(documents: list[Look | Trim], read_from: list[Path | None], given: list[Path]) -> dict[str, HeldTable]:
    """Lookup tables that documents name, by their digests, from files given and from those beside the documents.

    Stops with the name of the first one that is in none of them.
    """
    wanted = {digest: called for document in documents for digest, called in tables_of(document).items()}
    if not wanted:
        return {}
    beside = [path for folder in {p.parent for p in read_from if p} for path in folder.iterdir() if _is_table(path)]
    found: dict[str, HeldTable] = {}
    for path in [*given, *beside]:
        try:
            data = path.read_bytes()
            digest = hashlib.sha256(data).hexdigest()
            if digest in wanted:
                found[digest] = table_in(data, digest)
        except NuvettError as error:
            stop(f"{path}: {error.message}")
        except OSError as error:
            stop(f"{path}: {error.strerror or error}.")
    gone = next((called for digest, called in wanted.items() if digest not in found), None)
    if gone is not None:
        stop(f"The look uses a lookup table, {gone or 'without a name'}: give the file it came from by --table.")
    return found


def _is_table(path: Path) -> bool:
    return path.is_file() and path.suffix.lower() in _TABLE_SUFFIXES


def with_numbers(look: Look, given: list[str]) -> Look:
    """A look with numbers and choices of its steps as `--set` gives them; their steps are switched on."""
    changed = look.model_dump()
    for text in given:
        path, _, value = text.partition("=")
        step, _, name = path.partition(".")
        if path not in LOOK_VALUES and path not in LOOK_CHOICES:
            stop(f"--set knows no {path!r}; `steps` lists what there is.")
        place = changed[step] if name else changed
        place[name or step] = value
        if name:
            place["on"] = True
    try:
        return parse_change(changed)
    except NuvettError as error:
        stop(f"--set: {error.message}")


def adjusted(
    look: Look,
    even: float | None,
    pull: float | None,
    tone: float | None,
    colour: float | None,
    strength: float | None,
) -> Look:
    """A look with the amounts given on the command line; those not given stay as the document has them."""
    whole = {"pull": pull, "colour": colour, "strength": strength}
    look = look.model_copy(update={name: value for name, value in whole.items() if value is not None})
    if tone is not None:
        look = look.with_step(look.step(ToneStep).model_copy(update={"on": True, "amount": tone}))
    return look if even is None else look.with_step(EvenStep(amount=even))


def lines_of_steps() -> Iterator[str]:
    """The steps of a look with their numbers and choices, as `--set` takes them, line by line."""
    for kind in Look.kinds:
        yield f"{kind.title}: {plain_sentence(kind.brought_in())}"
        for name, words in numbers_of(kind).items():
            usual = words.written(words.usual)
            yield f"  {kind.name}.{name}: {words.label}, {words.low:g} to {words.high:g} {words.unit}, usually {usual}"
        for name, choice in choices_of(kind).items():
            yield f"  {kind.name}.{name}: {' | '.join(choice.words)}"
