"""Folders of this machine that Nuvett reads from and writes to: all of them below one that is meant for it."""

import errno
import os
import shutil
from pathlib import Path

from nuvett.core.errors import DiskFullError, InvalidChangeError
from nuvett.services.studio import Studio

_FULL = (errno.ENOSPC, errno.EDQUOT)


def folder_at(studio: Studio, name: str) -> Path:
    """The folder of a name below the one that is meant for it. Raises InvalidChangeError for one outside it."""
    root = studio.settings.folders.resolve()
    path = (root / name.strip().lstrip("/")).resolve()
    if not path.is_relative_to(root) or not name.strip(" ./") or not name.isprintable():
        raise InvalidChangeError(f"Name a folder inside {root}.")
    return path


def check_folder(studio: Studio, name: str) -> Path:
    """A folder that can be written to, made if it is not there. Raises InvalidChangeError."""
    path = folder_at(studio, name)
    try:
        path.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise InvalidChangeError(f"The folder {name} cannot be made: {error.strerror or error}.") from error
    if not os.access(path, os.W_OK):
        raise InvalidChangeError(f"The folder {name} cannot be written to.")
    return path


def already_there(studio: Studio, name: str, files: list[str]) -> int:
    """How many of some files are in a folder already."""
    folder = folder_at(studio, name)
    return sum((folder / file).exists() for file in files)


def put_into(folder: Path, name: str, source: Path) -> None:
    """Copy a file into a folder under a name with folders in it; it appears whole or not at all.

    Raises DiskFullError, and InvalidChangeError when the folder cannot be written to.
    """
    place = folder / name
    partial = place.with_name(f".{place.name}.part")
    try:
        place.parent.mkdir(parents=True, exist_ok=True)
        shutil.copyfile(source, partial)
        partial.replace(place)
    except OSError as error:
        partial.unlink(missing_ok=True)
        if error.errno in _FULL:
            raise DiskFullError from error
        raise InvalidChangeError(f"The folder cannot be written to: {error.strerror or error}.") from error
