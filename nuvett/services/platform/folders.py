"""Folders of this machine that Nuvett reads from and writes to: all of them below one that is meant for it."""

import filecmp
import os
import shutil
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path

from nuvett.core.errors import DiskFullError, InvalidChangeError, NameTakenError
from nuvett.services.platform.studio import Studio
from nuvett.store.blobs import is_full_disk

_MAX_BESIDE = 1000


def folder_at(studio: Studio, name: str) -> Path:
    """The folder of a name below the one that is meant for it. Raises InvalidChangeError for one outside it."""
    root = studio.settings.folders.resolve()
    if not name.strip(" ./") or not name.isprintable():
        raise InvalidChangeError(f"Name a folder inside {root}.")
    path = (root / name.strip().lstrip("/")).resolve()
    if not path.is_relative_to(root):
        raise InvalidChangeError(f"Name a folder inside {root}.")
    return path


def check_folder(studio: Studio, name: str) -> Path:
    """A folder that can be written to, made if it is not there. Raises InvalidChangeError."""
    path = folder_at(studio, name)
    if not studio.settings.has_folders:
        return path  # it is looked at where it is
    try:
        path.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise InvalidChangeError(f"The folder {name} cannot be made: {error.strerror or error}.") from error
    if not os.access(path, os.W_OK):
        raise InvalidChangeError(f"The folder {name} cannot be written to.")
    return path


def overlap(one: Path, other: Path) -> bool:
    """Whether two folders are the same or one lies in the other, wherever links lead."""
    one, other = one.resolve(), other.resolve()
    return one.is_relative_to(other) or other.is_relative_to(one)


def already_there(studio: Studio, name: str, files: Iterable[str]) -> list[str]:
    """Those of some files that are in a folder already."""
    folder = folder_at(studio, name)
    return [file for file in files if os.path.lexists(folder / file)]


@dataclass(frozen=True)
class PlacedFile:
    """A file that was put into a folder: its name there, and what tells whether it was changed since.

    stamp : its size in bytes and its time of change in nanoseconds
    """

    name: str
    stamp: dict[str, int]


@dataclass(frozen=True)
class Wanted:
    """How a file is put into a folder: under which name, what was put there before, and what when another is there.

    before : the stamp of the file of this name that the same delivery put there; none before it did
    beside : whether it gets another name where a file that the delivery did not make has this one
    """

    name: str
    before: dict[str, int] | None = None
    beside: bool = False


def put_into(folder: Path, wanted: Wanted, source: Path) -> PlacedFile:
    """Copy a file into a folder under a name with folders in it; it appears whole or not at all.

    Only a file that the same delivery put there, and that nobody changed since, is replaced.
    Raises DiskFullError, InvalidChangeError when the folder cannot be written to, NameTakenError.
    """
    place = folder / wanted.name
    partial = place.with_name(f".{place.name}.{os.getpid()}.part")
    try:
        place.parent.mkdir(parents=True, exist_ok=True)
        shutil.copyfile(source, partial)
        if _is_ours(place, wanted.before, partial):
            partial.replace(place)
        else:
            place = _put_beside(partial, place, wanted.beside)
        stamp = _stamp(place)
    except OSError as error:
        if is_full_disk(error):
            raise DiskFullError from error
        raise InvalidChangeError(f"The folder cannot be written to: {error.strerror or error}.") from error
    finally:
        partial.unlink(missing_ok=True)
    return PlacedFile(str(place.relative_to(folder)), stamp)


def _stamp(place: Path) -> dict[str, int]:
    facts = place.lstat()
    return {"size": facts.st_size, "changed": facts.st_mtime_ns}


def _is_ours(place: Path, before: dict[str, int] | None, made: Path) -> bool:
    """Whether what is at a place was put there by the same delivery, or has the very bytes that are to be put there."""
    if not place.is_file() or place.is_symlink():
        return False
    return _stamp(place) == before or filecmp.cmp(place, made, shallow=False)


def _put_if_free(partial: Path, place: Path) -> bool:
    """Give a file a name that no other has; whether it was free. A rename alone would replace another file."""
    try:
        os.link(partial, place)
    except FileExistsError:
        return False
    except OSError as error:
        if is_full_disk(error):
            raise
        try:  # a file system without links: the name is taken first
            os.close(os.open(place, os.O_CREAT | os.O_EXCL | os.O_WRONLY))
        except FileExistsError:
            return False
        partial.replace(place)
    return True


def _put_beside(partial: Path, place: Path, beside: bool) -> Path:
    names: Iterable[Path] = (place.with_stem(f"{place.stem} ({number})") for number in range(2, _MAX_BESIDE))
    for free in (place, *(names if beside else ())):
        if _put_if_free(partial, free) or (free.is_file() and filecmp.cmp(free, partial, shallow=False)):
            return free
    raise NameTakenError(f"A file called {place.name} that this delivery did not make is in the folder already.")
