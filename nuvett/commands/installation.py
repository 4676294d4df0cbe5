"""Commands that concern an installation: checking it, backing it up, restoring it, its password."""

import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Annotated

import typer

from nuvett.commands.looks import stop
from nuvett.core.errors import NuvettError
from nuvett.services.entry.passwords import hash_password
from nuvett.services.platform import backup as backups
from nuvett.services.platform import checkup
from nuvett.services.platform.opening import open_installation
from nuvett.services.platform.studio import Studio
from nuvett.settings import Settings

_SHORTEST_PASSWORD = 10


def add_to(app: typer.Typer) -> None:
    """Add these commands to the command line."""
    for command in (check, backup, restore, password, migrate):
        app.command()(command)


def migrate() -> None:
    """Bring the tables of the installation up to date, without starting anything."""
    with _installation() as studio:
        present = open_installation(studio)
    print("The tables are up to date." if present else "The tables are up to date; the storage cannot be reached.")


def password() -> None:
    """Ask for a password twice and print its hash, for NUVETT_PASSWORD."""
    chosen = typer.prompt("Password", hide_input=True, confirmation_prompt="Once more", err=True)
    if len(chosen) < _SHORTEST_PASSWORD:
        stop(f"A password needs {_SHORTEST_PASSWORD} characters at least.")
    print(hash_password(chosen))


def check(
    deep: Annotated[bool, typer.Option("--deep", help="Read every file to see whether it is what was kept.")] = False,
    mend: Annotated[bool, typer.Option("--mend", help="Make anew, find again and put away what was found.")] = False,
    quarantine_unused: Annotated[
        bool, typer.Option("--quarantine-unused", help="With --mend: put unused files away, however many they are.")
    ] = False,
    bring_back: Annotated[
        list[str] | None, typer.Option("--bring-back", help="Bring a file back from quarantine, by its name, or all.")
    ] = None,
) -> None:
    """Look for files that are missing, damaged, unfinished or used by nothing in this installation; 1 if any are."""
    asked = checkup.CheckRequest(deep, mend, quarantine_unused, tuple(bring_back or ()))
    with _installation() as studio:
        findings = checkup.check_installation(studio, asked)
    for line in findings.words:
        print(line)
    for one in findings.held:
        print(f"In quarantine since {one.since}: {one.name} ({one.bytes} bytes)")
    print("Nothing is wrong." if not findings.words else "Mended." if mend else "Run it with --mend to have it mended.")
    if findings.words and not mend:
        raise typer.Exit(1)


def backup(
    folder: Path,
    deep: Annotated[bool, typer.Option("--deep", help="Read again what earlier backups copied there.")] = False,
) -> None:
    """Back up the database and all pictures into a folder, while Nuvett runs; only what is new is copied."""
    with _installation() as studio:
        made = backups.back_up(studio, folder, deep)
    print(f"{made.folder}: {made.files} files, {made.copied} of them copied now.")
    for name in made.missing:
        print(f"Missing or damaged in the installation, see `check`: {name}", file=sys.stderr)
    if made.missing:
        raise typer.Exit(1)


def restore(
    folder: Path, which: Annotated[str | None, typer.Option(help="Name of a backup; by default the newest.")] = None
) -> None:
    """Fill an empty installation from a backup, also from one of an earlier version."""
    with _installation() as studio:
        made = backups.restore(studio, folder, which)
    print(f"Restored {made.folder.name}: {made.files} files. Start Nuvett with ./run start.")


@contextmanager
def _installation() -> Iterator[Studio]:
    """The installation that the environment names; our errors end with a sentence."""
    studio = Studio.of(Settings())
    try:
        yield studio
    except NuvettError as error:
        stop(error.message)
    except OSError as error:
        stop(f"{error.filename}: {error.strerror}.")
    finally:
        studio.database.close()
