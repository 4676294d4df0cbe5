"""Backups hold everything, copy only what is new, tell what is damaged, and fill an installation of a later version."""

import io
from pathlib import Path

import pytest
from alembic import command
from alembic.config import Config
from sqlalchemy import inspect, text

from nuvett.core.errors import BackupError
from nuvett.services.looks import carrying, looks
from nuvett.services.platform import backup, checkup
from nuvett.services.platform.blobs import sweep
from nuvett.services.platform.studio import Studio
from nuvett.services.references import new_references
from nuvett.services.series import catalogue, gathering
from nuvett.store import dumps, migrating
from nuvett.store.quarantine import Quarantine
from tests.conftest import DEMO, drain
from tests.services.conftest import Opener


@pytest.fixture
def full(own: Studio) -> Studio:
    """An installation with a series that was read and carried."""
    with own.database.session() as session:
        series = catalogue.find_series(session, "winter-fair")
        with (DEMO / "stills" / "still_4_silver.jpg").open("rb") as stream:
            new_references.add_reference(session, own, series, "silver.jpg", stream)
    drain(own)
    with own.database.session() as session:
        carrying.carry(session, catalogue.find_series(session, "winter-fair"))
    return own


def files(folder: Path) -> list[Path]:
    return [path for path in folder.rglob("*") if path.is_file()]


def state(studio: Studio) -> tuple[object, ...]:
    with studio.database.session() as session:
        series = catalogue.find_series(session, "winter-fair")
        frames = [(f.name, f.state, f.original, f.view, f.follows_id) for f in series.frames]
        return frames, looks.look_text(session, series), studio.blobs.identity(), studio.blobs.names()


def test_a_backup_restores_all_into_an_empty_installation_and_refuses_a_used_one(
    full: Studio, fresh: Opener, tmp_path: Path
) -> None:
    kept = tmp_path / "kept"
    first = backup.back_up(full, kept)
    assert first.files == first.copied == len(full.blobs.names()) and not first.missing
    before = state(full)
    orphan, _ = full.blobs.put(io.BytesIO(b"new"))
    sweep(full, {orphan})
    with full.database.session() as session:
        gathering.add_file(session, full, catalogue.start_series(session, "Later"), DEMO / "frames" / "AT-0102.jpg")
    again = backup.back_up(full, kept)
    assert again.copied == 1 and len(backup.backups_in(kept)) == 2
    with pytest.raises(BackupError, match="holds series already"):
        backup.restore(full, kept)
    new = fresh(tmp_path / "restored")
    restored = backup.restore(new, kept, first.folder.name)
    assert restored.files == first.files and state(new) == before and not checkup.check(new, deep=True).words
    other = fresh(tmp_path / "others")
    other.blobs.put(io.BytesIO(b"of somebody else"))
    with pytest.raises(BackupError, match="other pictures"):
        backup.restore(other, kept)
    lost = fresh(tmp_path / "blobs")  # the pictures are there, the database is gone
    assert backup.restore(lost, kept).files == again.files and len(state(lost)[3]) == again.files  # type: ignore[arg-type]


def test_a_damaged_backup_is_told_before_anything_is_changed_and_mended_by_the_next(
    full: Studio, fresh: Opener, tmp_path: Path
) -> None:
    kept = tmp_path / "kept"
    made = backup.back_up(full, kept)
    spoilt = files(kept / "blobs")[0]
    spoilt.write_bytes(b"otherwise")
    assert backup.verify(kept, made.folder) == [spoilt.name]
    new = fresh(tmp_path / "restored")
    with pytest.raises(BackupError, match="damaged"):
        backup.restore(new, kept)
    assert not inspect(new.database.engine).get_table_names() and not (tmp_path / "restored").exists()
    assert backup.back_up(full, kept, deep=True).copied == 1 and not backup.verify(kept, made.folder)
    for wrong in (full.settings.blobs, f"{full.settings.blobs}/inside"):
        with pytest.raises(BackupError, match="another folder"):
            backup.back_up(full, Path(wrong))
    with pytest.raises(BackupError, match="no backup"):
        backup.restore(new, tmp_path / "nothing")


def test_a_backup_tells_which_files_were_not_there_and_brings_back_what_lies_in_quarantine(
    full: Studio, tmp_path: Path
) -> None:
    gone, away = sorted(full.blobs.names())[:2]
    (Path(full.settings.blobs) / gone[:2] / gone).unlink()
    Quarantine(full.blobs).take([away])
    made = backup.back_up(full, tmp_path / "kept")
    assert made.missing == (gone,) and made.copied == made.files - 1
    assert full.blobs.is_whole(away) and not backup.verify(tmp_path / "kept", made.folder), "what was there is"


def test_a_dump_that_fails_leaves_nothing(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    def half(*command: str) -> None:
        next(Path(part.partition("=")[2]) for part in command if part.startswith("--file=")).write_bytes(b"half")
        raise BackupError

    monkeypatch.setattr(dumps, "_run", half)
    with pytest.raises(BackupError):
        dumps.dump("postgresql://nowhere", "1", tmp_path / "database.dump")
    assert not list(tmp_path.iterdir())


def test_the_newest_of_the_installed_programs_is_taken_and_none_is_said(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    asked: list[tuple[str, ...]] = []
    monkeypatch.setattr(dumps, "_run", lambda *command: asked.append(command))
    monkeypatch.setattr(dumps, "_BINARIES", tmp_path)
    monkeypatch.setenv("PATH", str(tmp_path))
    with pytest.raises(BackupError, match="pg_restore is not installed"):
        dumps.load("postgresql://nowhere", tmp_path / "database.dump")
    for version in ("9", "15", "common"):
        program = tmp_path / version / "bin" / "pg_restore"
        program.parent.mkdir(parents=True)
        program.touch()
    dumps.load("postgresql://nowhere", tmp_path / "database.dump")
    assert [command[0] for command in asked] == [str(tmp_path / "15" / "bin" / "pg_restore")]


def test_a_backup_of_an_earlier_version_is_brought_up_to_date(full: Studio, fresh: Opener, tmp_path: Path) -> None:
    before = state(full)
    config = Config()
    config.set_main_option("script_location", str(migrating._MIGRATIONS))
    made = backup.back_up(full, tmp_path / "kept")
    with full.database.engine.begin() as connection:
        config.attributes["connection"] = connection
        command.downgrade(config, "0014")
    with full.database.engine.connect().execution_options(isolation_level="REPEATABLE READ") as connection:
        snapshot = connection.scalar(text("SELECT pg_export_snapshot()"))
        backup.dumps.dump(full.settings.database, str(snapshot), made.folder / "database.dump")
    new = fresh(tmp_path / "restored")
    backup.restore(new, tmp_path / "kept")
    assert state(new) == before and not checkup.check(new).words
