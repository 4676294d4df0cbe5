"""Databases of earlier versions are brought up to date with all that is in them."""

import ast
import re
import uuid
from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path

import pytest
from alembic import command
from alembic.config import Config
from sqlalchemy import create_engine, text

from nuvett.core.look.look import Look
from nuvett.store import migrating
from nuvett.store.database import Database
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


def test_tables_of_a_newer_version_are_left_as_they_are(cluster: Cluster) -> None:
    database = Database(cluster.database("newer"))
    migrating.migrate(database)
    with database.engine.begin() as connection:
        connection.execute(text("ALTER TABLE frame ADD COLUMN of_later text"))
        connection.execute(text("UPDATE alembic_version SET version_num = '9999'"))
    migrating.migrate(database)
    with database.engine.begin() as connection:
        assert connection.scalar(text("SELECT version_num FROM alembic_version")) == "9999"
        assert connection.scalar(text("SELECT count(of_later) FROM frame")) == 0
    database.close()


ADDS = {"create_table", "create_index", "add_column", "execute", "create_foreign_key"}
"""What a change of tables may do that the version before goes on beside."""

TAKES_AWAY = re.compile(r"\b(DROP|RENAME|ALTER)\b")
TWO_STEPS_SINCE = "0024"


def calls(tree: ast.AST) -> Iterator[ast.Call]:
    return (node for node in ast.walk(tree) if isinstance(node, ast.Call))


@pytest.mark.parametrize(
    "path", sorted(p for p in (migrating._MIGRATIONS / "versions").glob("0*.py") if p.name >= TWO_STEPS_SINCE)
)
def test_a_change_of_tables_leaves_the_version_before_running(path: Path) -> None:
    tree = ast.parse(path.read_text())
    upgrade = next(node for node in tree.body if isinstance(node, ast.FunctionDef) and node.name == "upgrade")
    for call in calls(upgrade):
        if not (isinstance(call.func, ast.Attribute) and isinstance(call.func.value, ast.Name)):
            continue
        if call.func.value.id == "op":
            assert call.func.attr in ADDS, f"{call.func.attr} would take away what the version before needs"
        if call.func.attr == "add_column":
            (column,) = (one for one in calls(call) if getattr(one.func, "attr", "") == "Column")
            given = {word.arg: word.value for word in column.keywords}
            nullable = isinstance(given.get("nullable"), ast.Constant) and given["nullable"].value
            assert "server_default" in given or nullable, "the version before writes no such column"
    said = [node.value for node in ast.walk(upgrade) if isinstance(node, ast.Constant) and isinstance(node.value, str)]
    assert not [words for words in said if TAKES_AWAY.search(words)]
