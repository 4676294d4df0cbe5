"""Opening an installation: the tables are brought up to date, and the store is recognised, by one process at a time."""

from sqlalchemy import text

from nuvett.services.platform.installation import recognise, refuse_new_database
from nuvett.services.platform.locks import Lock
from nuvett.services.platform.studio import Studio
from nuvett.store.migrating import migrate


def open_installation(studio: Studio) -> bool:
    """Bring the database up to date and recognise the store; whether the store is there.

    Raises ForeignStoreError, before anything was changed, when the two do not belong together.
    """
    with studio.database.engine.connect() as connection:
        connection.execute(text("SELECT pg_advisory_lock(:lock)"), {"lock": Lock.OPENING.value})
        connection.commit()
        try:
            refuse_new_database(studio)
            migrate(studio.database)
            return recognise(studio)
        finally:
            connection.execute(text("SELECT pg_advisory_unlock(:lock)"), {"lock": Lock.OPENING.value})
            connection.commit()
