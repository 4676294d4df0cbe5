"""Whether the database and the store of pictures belong together, and whether the store is there.

Both carry one identity. Where one lacks it (a first start, or an installation of an earlier version), it is given to
both only if what the one uses is what the other holds.
"""

import uuid

from sqlalchemy import inspect

from nuvett.core.errors import ForeignStoreError, StoreAbsentError
from nuvett.services.platform.blobs import blobs_in_use
from nuvett.services.platform.locks import Lock, hold
from nuvett.services.platform.studio import Studio
from nuvett.store import models

_ENOUGH = 0.5  # share of the files in use that a store without a mark must hold to be taken for the right one
_NEW_DATABASE = (
    "The database is new, but the storage {} holds pictures already. Set NUVETT_DATABASE to the database that they "
    "belong to, restore a backup into an empty folder (./run cli restore), or set NUVETT_BLOBS to an empty folder. "
    "Nothing was changed."
)
_OTHER = (
    "The storage {} belongs to another database. Set NUVETT_DATABASE or NUVETT_BLOBS to the one that goes with the "
    "other. Nothing was changed."
)
_ABSENT = (
    "The storage of pictures, {}, cannot be reached. Nothing is lost: bring it back (mount the disk, start the server "
    "that holds it), and everything goes on by itself."
)


def refuse_new_database(studio: Studio) -> None:
    """Raise ForeignStoreError when the database has no tables yet while the store holds pictures; changes nothing."""
    if inspect(studio.database.engine).has_table(models.SeriesRow.__tablename__):
        return
    if studio.blobs.identity() is not None or studio.blobs.names():
        raise ForeignStoreError(_NEW_DATABASE.format(studio.blobs.address))


def recognise(studio: Studio) -> bool:
    """Make the store work for this database alone; whether it is there.

    Raises ForeignStoreError when the two do not belong together; nothing was changed then.
    """
    blobs = studio.blobs
    blobs.expect(None)
    with studio.database.session() as session:
        hold(session, Lock.IDENTITY)
        row, marked = session.get(models.InstallationRow, 1), blobs.identity()
        if row is None or marked != row.identity:
            if row is not None and marked is not None:
                raise ForeignStoreError(_OTHER.format(blobs.address))
            used, held = blobs_in_use(session), blobs.names()
            known = len(used & held) >= _ENOUGH * len(used)
            if held and not used:
                raise ForeignStoreError(_NEW_DATABASE.format(blobs.address))
            if marked is not None and not known:
                raise ForeignStoreError(_OTHER.format(blobs.address))
            if row is None:
                row = models.InstallationRow(identity=marked or str(uuid.uuid4()))
                session.add(row)
                session.flush()
            if marked is None and known:
                blobs.mark(row.identity)
        blobs.expect(row.identity)
    return blobs.is_present()


def absence(studio: Studio) -> str:
    """That the store is not there, in words; nothing when it is. One that comes back is recognised."""
    if studio.blobs.is_present():
        return ""
    try:
        if recognise(studio):
            return ""
    except (ForeignStoreError, StoreAbsentError, OSError):
        pass
    return _ABSENT.format(studio.blobs.address)
