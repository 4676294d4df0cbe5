"""The command line: the whole job on plain files, without a browser and without a database."""

import json
import os
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Annotated, Any

import numpy as np
import typer
from rich.progress import Progress as ProgressBar

from nuvett.commands import installation
from nuvett.commands.looks import (
    adjusted,
    document_of,
    lines_of_steps,
    look_of,
    number_option,
    stop,
    tables_for,
    with_numbers,
)
from nuvett.commands.writing import writes_pictures
from nuvett.core.errors import InvalidChangeError, NuvettError
from nuvett.core.look.tables import with_tables
from nuvett.core.look.trim import parse_trim
from nuvett.core.reading.column import lightness_marks
from nuvett.core.reading.family import Family
from nuvett.core.reading.reading import Reading, Single, Target, Weighed, blend, zone_colours
from nuvett.core.reading.regions import Patch, Sampling
from nuvett.core.spaces.oklab import hex_to_oklab
from nuvett.core.steps.hold import HoldStep
from nuvett.core.thread.holding import WITHIN
from nuvett.imaging.opened import Limits
from nuvett.imaging.tables import read_table
from nuvett.services.files import batch, matching
from nuvett.services.files.held_things import parse_things
from nuvett.services.files.measuring import read_file

app = typer.Typer(
    add_completion=False,
    no_args_is_help=True,
    pretty_exceptions_enable=False,
    help="Carry the colour and tone of reference stills to a series of photos.",
)

Percent = Annotated[float, typer.Option(min=0, max=100)]
Photos = Annotated[list[Path], typer.Argument(help="Photos to work on.")]
LensesOption = Annotated[
    batch.Lenses, typer.Option("--lenses", help="Undo what a known lens did: in raw files as usual, in all, in none.")
]
Report = Annotated[Path | None, typer.Option("--report", help="Write what was done to each photo as JSON.")]
LIMITS = Limits()


def _checked(photos: list[Path]) -> list[batch.Photo]:
    """Photos that can be told apart once written; a raw file and the picture beside it are one. Stops otherwise."""
    try:
        return batch.paired(photos)
    except NuvettError as error:
        stop(error.message)


def _run(photos: list[batch.Photo], work: Callable[[Callable[[], None]], list[batch.Outcome]]) -> list[batch.Outcome]:
    """Run a batch under a progress bar on a terminal; errors of the whole batch end with status 2."""
    try:
        with ProgressBar(transient=True, disable=not sys.stderr.isatty()) as bar:
            task = bar.add_task("", total=len(photos))
            return work(lambda: bar.advance(task))
    except (NuvettError, OSError) as error:
        stop(str(error))


def _finish(outcomes: list[batch.Outcome], report: Path | None) -> None:
    """Print failures, write the report whole or not at all, and end with status 1 if a photo failed."""
    for outcome in outcomes:
        if outcome.error:
            print(f"{outcome.source}: {outcome.error}", file=sys.stderr)
    if report is not None:
        rows = [_row(outcome) for outcome in outcomes]
        partial = report.with_name(f".{report.name}.{os.getpid()}.part")
        try:
            partial.write_text(json.dumps({"photos": rows}, indent=2) + "\n")
            partial.replace(report)
        except OSError as error:
            stop(f"The report could not be written: {error.strerror}.")
    if any(outcome.error for outcome in outcomes):
        raise typer.Exit(1)


def _row(outcome: batch.Outcome) -> dict[str, Any]:
    row: dict[str, Any] = {"photo": str(outcome.source)}
    if outcome.written:
        row["written"] = str(outcome.written)
    if outcome.error:
        row["error"] = outcome.error
    return row | (outcome.report or {})


def _read(path: Path, sampling: Sampling | None = None) -> Reading:
    try:
        return read_file(path, LIMITS, sampling)
    except NuvettError as error:
        stop(f"{path}: {error.message}")
    except OSError as error:
        stop(f"{path}: {error.strerror or error}.")


def _target(references: list[str]) -> Target:
    """Target of `FILE[:WEIGHT]` references."""
    weighed = []
    for reference in references:
        name, _, weight = reference.rpartition(":")
        if not name or not _isnumber_option(weight):
            name, weight = reference, "1"
        if float(weight) < 0:
            stop(f"{reference}: a weight cannot be below 0.")
        own = Path(name).name
        weighed.append(Weighed(reading=_read(Path(name)), key=own, name=own, tone=float(weight), colour=float(weight)))
    try:
        return blend(weighed)
    except NuvettError as error:
        stop(error.message)


def _with_parts(target: Target | None, given: list[str]) -> Target | None:
    """A target with named parts of pictures that areas can be brought to."""
    found = []
    for text in given:
        name, _, where = text.partition("=")
        file, _, box = where.rpartition(":")
        try:
            patch = _rectangle(box)
        except (TypeError, ValueError):
            stop(f"{text}: a part is NAME=FILE:X,Y,W,H, four numbers in shares of the picture.")
        reading = _read(Path(file), Sampling(patches=(patch,)))
        found.append(Single(key=name, name=name, palette=reading.palette, statistics=reading.statistics))
    if found and target is None:
        stop("--part needs --reference: areas are brought to parts beside a target.")
    return target.model_copy(update={"parts": tuple(found)}) if target is not None else None


def _isnumber_option(text: str) -> bool:
    try:
        return bool(np.isfinite(float(text)))
    except ValueError:
        return False


@app.command()
def read(
    file: Path,
    colours: Annotated[int, typer.Option(min=2, max=12, help="Size of the palette.")] = 6,
    patch: Annotated[str | None, typer.Option(help="X,Y,W,H in shares of the picture, 0 to 1.")] = None,
    family: Annotated[str | None, typer.Option(help="Only colours near this one, as #rrggbb.")] = None,
    tolerance: Percent = 30,
) -> None:
    """Print what is sampled from a picture as JSON: palette, lightness quantiles, zone colours."""
    try:
        corners = () if patch is None else (_rectangle(patch),)
        picked: tuple[Family, ...] = ()
        if family is not None:
            lab = hex_to_oklab(family)
            picked = (Family(colour=(float(lab[0]), float(lab[1]), float(lab[2])), tolerance=tolerance),)
        sampling = Sampling(patches=corners, families=picked, colours=colours)
    except (TypeError, ValueError):
        stop("A patch is four numbers X,Y,W,H inside the picture, and a family a colour of the form #rrggbb.")
    reading = _read(file, sampling)
    print(json.dumps(reading_report(reading), indent=2))


def _rectangle(text: str) -> Patch:
    x, y, width, height = (float(part) for part in text.split(","))
    return Patch.rectangle(x, y, width, height)


def reading_report(reading: Reading) -> dict[str, Any]:
    """A reading as the command line prints it; lightness is CIE L*."""
    marks = lightness_marks(reading.statistics.lightness)
    return {
        "share": round(reading.share, 4),
        "palette": [
            {"hex": c.hex, "name": c.name, "oklch": [round(v, 4) for v in c.lch], "share": round(c.share, 4)}
            for c in reading.palette
        ],
        "lightness": {str(share): round(value, 2) for share, value in marks.items()},
        "zones": {name: [round(float(v), 4) for v in lab] for name, lab in zone_colours(reading.statistics).items()},
    }


@app.command()
@writes_pictures()
def even(
    output: batch.WriteSettings,
    photos: Photos,
    base: Annotated[Path, typer.Option(help="Picture whose light the others get.")],
    strength: Percent = 100,
    white: Annotated[
        float | None, typer.Option(min=0, max=100, help="Of the white; as --strength if not said.")
    ] = None,
    lenses: LensesOption = batch.Lenses.USUAL,
    report: Report = None,
) -> None:
    """Even the light of each photo, exposure and white, to a base picture."""
    checked = _checked(photos)
    shares = (strength / 100, (strength if white is None else white) / 100)
    outcomes = _run(checked, lambda step: matching.even_files(checked, base, shares, output, LIMITS, lenses, step))
    _finish(outcomes, report)


@app.command()
@writes_pictures()
def match(
    output: batch.WriteSettings,
    photos: Photos,
    reference: Annotated[
        list[str] | None, typer.Option(help="FILE or FILE:WEIGHT; may be given several times. None: by hand alone.")
    ] = None,
    part: Annotated[
        list[str] | None,
        typer.Option(help="NAME=FILE:X,Y,W,H, a part in shares of the picture that areas name as `aim`; several."),
    ] = None,
    base: Annotated[Path | None, typer.Option(help="Picture whose light all photos are evened to.")] = None,
    look: Annotated[Path | None, typer.Option(help="Look document (JSON) to start from.")] = None,
    even: Annotated[float | None, number_option("even.amount")] = None,
    pull: Annotated[float | None, number_option("pull")] = None,
    tone: Annotated[float | None, number_option("tone.amount")] = None,
    colour: Annotated[float | None, number_option("colour")] = None,
    strength: Annotated[float | None, number_option("strength")] = None,
    hold: Annotated[str | None, typer.Option(help="skin, where a face is found, or none.")] = None,
    given: Annotated[
        list[str] | None, typer.Option("--set", help="STEP.NUMBER=VALUE, see `steps`; may be given several times.")
    ] = None,
    table: Annotated[
        list[Path] | None, typer.Option(help="File of a lookup table that the look names; those beside it are found.")
    ] = None,
    trim: Annotated[Path | None, typer.Option(help="Trim document (JSON) that every photo takes after it.")] = None,
    thread: Annotated[
        list[str] | None,
        typer.Option(help="NAME=FILE@X,Y, a thing that is brought together in all photos; NAME=COLOUR: to that."),
    ] = None,
    within: Annotated[float, typer.Option(min=0.3, max=20, help="CIEDE2000 that things are held within.")] = WITHIN,
    cube: Annotated[
        Path | None, typer.Option(help="Also write the table that all photos share, as .cube, .clf or .cdl.")
    ] = None,
    lenses: LensesOption = batch.Lenses.USUAL,
    report: Report = None,
) -> None:
    """Carry the look of the references, or one that was made by hand, to the photos."""
    if hold not in (None, "skin", "none"):
        stop(f"--hold takes skin or none, not {hold!r}.")
    target = _with_parts(_target(reference) if reference else None, part or [])
    document = with_numbers(adjusted(look_of(look, target), even, pull, tone, colour, strength), given or [])
    own = document_of(trim, parse_trim)
    if hold is not None:
        document = document.with_step(document.step(HoldStep).model_copy(update={"on": hold == "skin"}))
    held = tables_for([document, *([own] if own else [])], [look, trim], table or [])
    document, own = with_tables(document, held.get), with_tables(own, held.get) if own else None
    try:
        things = parse_things(thread or [], within)
    except InvalidChangeError as error:
        stop(error.message)
    aside = matching.Aside(base, cube, own, lenses, things)
    checked = _checked(photos)
    outcomes = _run(checked, lambda step: matching.match_files(checked, target, document, output, LIMITS, aside, step))
    _finish(outcomes, report)


@app.command()
def steps() -> None:
    """Print the steps of a look with their numbers and choices, as `--set` takes them."""
    print(*lines_of_steps(), sep="\n")


@app.command()
@writes_pictures(None)
def apply(
    output: batch.WriteSettings,
    photos: Photos,
    cube: Annotated[Path, typer.Option(help="Lookup table on encoded sRGB: .cube, .clf, .cdl, .cc or .ccc.")],
    strength: Percent = 100,
    report: Report = None,
) -> None:
    """Apply a lookup table to each photo."""
    try:
        table = read_table(cube)
    except NuvettError as error:
        stop(f"{cube}: {error.message}")
    except OSError as error:
        stop(f"{cube}: {error.strerror or error}.")
    checked = _checked(photos)
    outcomes = _run(checked, lambda step: batch.apply_table_files(checked, table, strength / 100, output, LIMITS, step))
    _finish(outcomes, report)


@app.command()
def infer(
    before: Annotated[list[Path], typer.Option(help="Picture as it was; give one for each --after.")],
    after: Annotated[list[Path], typer.Option(help="The same picture, finished.")],
    cube: Annotated[Path, typer.Option(help="Where to write the lookup table: .cube, .clf or .cdl.")],
    overwrite: Annotated[bool, typer.Option("--overwrite", help="Replace a file that exists.")] = False,
) -> None:
    """Work out a lookup table from before/after pairs of the same picture, and print how far to trust it as JSON."""
    if len(before) != len(after):
        stop("Give as many --after as --before.")
    try:
        found = batch.infer_from_files(list(zip(before, after, strict=True)), LIMITS)
        batch.write_table(cube, found.table, overwrite, found.warnings)
    except NuvettError as error:
        stop(error.message)
    except OSError as error:
        stop(f"{error.filename}: {error.strerror}.")
    trust = {"residual": found.residual, "coverage": found.coverage, "locally_edited": found.local}
    rounded = {name: round(value, 4) for name, value in trust.items()}
    print(json.dumps({"cube": str(cube), **rounded, "warnings": found.warnings}, indent=2))


@app.command()
def drift(
    photos: Photos,
    reference: Annotated[list[str], typer.Option(help="FILE or FILE:WEIGHT; may be given several times.")],
) -> None:
    """Print how far each photo is from the references, and why, as JSON."""
    target = _target(reference)
    checked = [batch.Photo(photo) for photo in photos]
    outcomes = _run(checked, lambda step: matching.drift_files(checked, target, LIMITS, step))
    print(json.dumps({"photos": [_row(outcome) for outcome in outcomes]}, indent=2))
    _finish(outcomes, None)


installation.add_to(app)

if __name__ == "__main__":
    app()
