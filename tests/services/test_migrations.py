"""Databases of earlier versions are brought up to date with all that is in them."""

import uuid
from datetime import UTC, datetime

from alembic import command
from alembic.config import Config
from sqlalchemy import create_engine, text

from nuvett.core.look.look import Look
from nuvett.store import migrating
from tools.cluster import Cluster

SERIES, LOOK = uuid.uuid4(), uuid.uuid4()


def test_a_database_of_the_first_version_keeps_its_history_and_look(cluster: Cluster) -> None:
    engine = create_engine(cluster.database("earlier"))
    config = Config()
    config.set_main_option("script_location", str(migrating._MIGRATIONS))
    now = datetime.now(UTC)
    with engine.begin() as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, "0001")
        connection.execute(
            text(
                "INSERT INTO series (id, slug, title, credit, light_due, created) VALUES (:i, 's', 'S', '', false, :n)"
            ),
            {"i": SERIES, "n": now},
        )
        connection.execute(
            text("INSERT INTO look (id, series_id, name, draft, revision) VALUES (:l, :i, 'S', :d, 3)"),
            {"l": LOOK, "i": SERIES, "d": '{"schema_version": 1, "strength": 60}'},
        )
        for number, undone in ((1, False), (2, False), (3, True)):
            connection.execute(
                text(
                    "INSERT INTO history (id, series_id, subject, number, words, before, after, undone, created)"
                    " VALUES (:id, :i, 'x', :k, 'w', '{}', '{}', :u, :n)"
                ),
                {"id": uuid.uuid4(), "i": SERIES, "k": number, "u": undone, "n": now},
            )
        command.upgrade(config, "head")
        rows = connection.execute(text("SELECT number, parent, undone, aside FROM history ORDER BY number")).all()
        assert [tuple(row) for row in rows] == [(1, None, False, False), (2, 1, False, False), (3, 2, True, False)]
        (draft,) = connection.execute(text("SELECT draft FROM look")).one()
        assert Look.model_validate(draft).strength == 60
        command.downgrade(config, "0001")
        command.upgrade(config, "head")
    engine.dispose()
