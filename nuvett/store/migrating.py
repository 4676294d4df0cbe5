"""Tables brought up to date, ours and the queue's; apart from the connection, which workers need without it."""

from pathlib import Path

import procrastinate
from alembic import command
from alembic.config import Config
from alembic.migration import MigrationContext
from alembic.script import ScriptDirectory
from sqlalchemy import inspect

from nuvett.store.database import Database

_MIGRATIONS = Path(__file__).parent / "migrations"


def migrate(database: Database) -> None:
    """Bring the tables of a database up to date; those of a newer version are left as they are.

    Tables change in two steps, so that a version runs on those of the one after it (docs/settings.md).
    """
    config = Config()
    config.set_main_option("script_location", str(_MIGRATIONS))
    known = {script.revision for script in ScriptDirectory.from_config(config).walk_revisions()}
    with database.engine.begin() as connection:
        if set(MigrationContext.configure(connection).get_current_heads()) <= known:
            config.attributes["connection"] = connection
            command.upgrade(config, "head")
    if not inspect(database.engine).has_table("procrastinate_jobs"):
        connector = procrastinate.SyncPsycopgConnector(conninfo=database.address)
        with procrastinate.App(connector=connector).open() as app:
            app.schema_manager.apply_schema()
