"""Where finished files are put: never into a watched folder, and never over a file that the delivery did not make."""

from collections.abc import Iterable
from pathlib import Path

from sqlalchemy import select
from sqlalchemy.orm import Session

from nuvett.core.errors import InvalidChangeError
from nuvett.services.delivery.delivery_settings import DeliverySettings
from nuvett.services.platform.folders import (
    PlacedFile,
    Wanted,
    already_there,
    check_folder,
    folder_at,
    overlap,
    put_into,
)
from nuvett.services.platform.studio import Studio
from nuvett.store import models


def check_place(session: Session, studio: Studio, settings: DeliverySettings) -> None:
    """Raise InvalidChangeError for a folder that cannot be written to, or that is watched for new frames."""
    if not settings.folder:
        return
    folder = folder_at(studio, settings.folder)
    _refuse_watched(session, studio, folder, settings.folder)
    check_folder(studio, settings.folder)


def _refuse_watched(session: Session, studio: Studio, folder: Path, name: str) -> None:
    for watched in session.scalars(select(models.WatchedFolderRow.folder)):
        if overlap(folder, folder_at(studio, watched)):
            raise InvalidChangeError(
                f"The folder {name} overlaps with {watched}, which is watched for new frames: finished files would "
                "become frames. Choose another folder."
            )


def check_names(studio: Studio, settings: DeliverySettings, names: Iterable[str]) -> None:
    """Raise InvalidChangeError where files of these names are in the folder and are not to be written beside."""
    if not settings.folder or settings.clash != "stop":
        return
    there = already_there(studio, settings.folder, names)
    if there:
        many = f"{len(there)} files of these names are" if len(there) > 1 else f"{there[0]} is"
        raise InvalidChangeError(
            f"{many} in the folder {settings.folder} already, and nothing there is replaced. Choose another folder or "
            "other names, or have files written beside with a number."
        )


def place_file(
    studio: Studio, settings: DeliverySettings, file: models.DeliveryFileRow, made: Path
) -> PlacedFile | None:
    """Put a finished file into the delivery's folder; none when it has none.

    Raises DiskFullError, NameTakenError, InvalidChangeError for a folder that cannot be used.
    """
    if not settings.folder:
        return None
    with studio.database.session() as session:
        check_place(session, studio, settings)
    wanted = Wanted(file.name, file.placed, settings.clash == "beside")
    return put_into(folder_at(studio, settings.folder), wanted, made)
