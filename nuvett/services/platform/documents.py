"""Looks and trims from requests and files."""

from typing import TypeVar

from pydantic import ValidationError

from nuvett.core.errors import DocumentError, InvalidChangeError
from nuvett.core.look.look import Look, parse_look
from nuvett.core.look.trim import Trim

Kept = TypeVar("Kept", Look, Trim)


def parse_change(data: object) -> Look:
    """A whole look from a request. Raises InvalidChangeError with the first thing that is wrong."""
    return parsed(Look, data)


def parsed(kind: type[Kept], data: object) -> Kept:
    try:
        return kind.model_validate(data)
    except ValidationError as error:
        first = error.errors()[0]
        place = " ".join(str(part) for part in first["loc"])
        raise InvalidChangeError(f"{place}: {first['msg']}. Nothing was changed.") from error


def read_look_file(data: bytes) -> Look:
    """A look document from a file. Raises DocumentError."""
    if len(data) > 1_000_000:
        raise DocumentError("This file is too large to be a look.")
    return parse_look(data)


def parse_trim(data: object) -> Trim:
    """A whole trim from a request. Raises InvalidChangeError."""
    return parsed(Trim, data)
