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

from nuvett.core.errors import NuvettError
from nuvett.core.look.trim import parse_trim
from nuvett.core.reading.column import lightness_marks
from nuvett.core.reading.family import Family
from nuvett.core.reading.reading import Reading, Target, Weighed, blend, zone_colours
from nuvett.core.reading.regions import Patch, Sampling
from nuvett.core.spaces.oklab import hex_to_oklab
from nuvett.core.spaces.rgb import DELIVERED
from nuvett.core.steps.hold import HoldStep
from nuvett.core.table.table import weaken
from nuvett.imaging.encode import Format
from nuvett.imaging.facts import Keep
from nuvett.imaging.opened import Limits
from nuvett.imaging.tables import read_table
from nuvett.look_options import adjusted, document_of, lines_of_steps, look_of, number_option, stop, with_numbers
from nuvett.services import batch, checkup
from nuvett.services.measuring import read_file
from nuvett.services.passwords import hash_password

app = typer.Typer(
    add_completion=False,
    no_args_is_help=True,
    pretty_exceptions_enable=False,
    help="Carry the colour and tone of reference stills to a series of photos.",
)

Percent = Annotated[float, typer.Option(min=0, max=100)]
Photos = Annotated[list[Path], typer.Argument(help="Photos to work on.")]
Out = Annotated[Path, typer.Option("--out", help="Folder for the finished pictures.")]
FormatOption = Annotated[Format | None, typer.Option("--format", help="File format; by default as the source.")]
Quality = Annotated[int, typer.Option(min=1, max=100, help="Quality of JPEG and WebP.")]
FactsOption = Annotated[Keep, typer.Option("--facts", help="Facts of the originals that the files carry.")]
Size = Annotated[int | None, typer.Option(min=16, max=60000, help="Long edge in pixels; by default as the source.")]
SpaceOption = Annotated[str, typer.Option("--space", help="srgb, p3, adobe-rgb or prophoto.")]
LensesOption = Annotated[
    batch.Lenses, typer.Option("--lenses", help="Undo what a known lens did: in raw files as usual, in all, in none.")
]
Overwrite = Annotated[bool, typer.Option("--overwrite", help="Replace files that exist.")]
Report = Annotated[Path | None, typer.Option("--report", help="Write what was done to each photo as JSON.")]
LIMITS = Limits()
_SHORTEST_PASSWORD = 10


def _output(
    out: Path, fmt: Format | None, quality: int, size: int | None, space: str, overwrite: bool, facts: Keep
) -> batch.Output:
    named = {s.value: s for s in DELIVERED}
    if space not in named:
        stop(f"{space!r} is not a delivery space; choose one of {', '.join(named)}.")
    if out.exists() and not out.is_dir():
        stop(f"{out} is a file, not a folder.")
    return batch.Output(out, fmt, quality, size, named[space], overwrite, facts)


def _checked(photos: list[Path]) -> list[Path]:
    """Photos that can be told apart once written. Stops when two share a stem or none is given."""
    stems: dict[str, Path] = {}
    for photo in photos:
        if photo.stem in stems:
            stop(f"{photo} and {stems[photo.stem]} would be written under one name; do them one after the other.")
        stems[photo.stem] = photo
    return photos


def _run(photos: list[Path], work: Callable[[Callable[[], None]], list[batch.Outcome]]) -> list[batch.Outcome]:
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
        weighed.append(Weighed(reading=_read(Path(name)), tone=float(weight), colour=float(weight)))
    try:
        return blend(weighed)
    except NuvettError as error:
        stop(error.message)


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
def even(
    photos: Photos,
    base: Annotated[Path, typer.Option(help="Picture whose light the others get.")],
    out: Out,
    strength: Percent = 100,
    lenses: LensesOption = batch.Lenses.USUAL,
    fmt: FormatOption = None,
    quality: Quality = 92,
    facts: FactsOption = Keep.ALL,
    size: Size = None,
    space: SpaceOption = "srgb",
    overwrite: Overwrite = False,
    report: Report = None,
) -> None:
    """Even the light of each photo, exposure and white, to a base picture."""
    output = _output(out, fmt, quality, size, space, overwrite, facts)
    outcomes = _run(
        _checked(photos),
        lambda step: batch.even_files(photos, base, strength / 100, output, LIMITS, lenses, step),
    )
    _finish(outcomes, report)


@app.command()
def match(
    photos: Photos,
    reference: Annotated[list[str], typer.Option(help="FILE or FILE:WEIGHT; may be given several times.")],
    out: Out,
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
    trim: Annotated[Path | None, typer.Option(help="Trim document (JSON) that every photo takes after it.")] = None,
    cube: Annotated[
        Path | None, typer.Option(help="Also write the table that all photos share, as .cube, .clf or .cdl.")
    ] = None,
    lenses: LensesOption = batch.Lenses.USUAL,
    fmt: FormatOption = None,
    quality: Quality = 92,
    facts: FactsOption = Keep.ALL,
    size: Size = None,
    space: SpaceOption = "srgb",
    overwrite: Overwrite = False,
    report: Report = None,
) -> None:
    """Carry the look of the references to the photos."""
    output = _output(out, fmt, quality, size, space, overwrite, facts)
    if hold not in (None, "skin", "none"):
        stop(f"--hold takes skin or none, not {hold!r}.")
    target = _target(reference)
    document = with_numbers(adjusted(look_of(look, target), even, pull, tone, colour, strength), given or [])
    own = document_of(trim, parse_trim)
    if hold is not None:
        document = document.with_step(document.step(HoldStep).model_copy(update={"on": hold == "skin"}))
    aside = batch.Aside(base, cube, own, lenses)
    outcomes = _run(
        _checked(photos), lambda step: batch.match_files(photos, target, document, output, LIMITS, aside, step)
    )
    _finish(outcomes, report)


@app.command()
def steps() -> None:
    """Print the steps of a look with their numbers and choices, as `--set` takes them."""
    print(*lines_of_steps(), sep="\n")


@app.command()
def apply(
    photos: Photos,
    cube: Annotated[Path, typer.Option(help="Lookup table on encoded sRGB: .cube, .clf, .cdl, .cc or .ccc.")],
    out: Out,
    strength: Percent = 100,
    fmt: FormatOption = None,
    quality: Quality = 92,
    facts: FactsOption = Keep.ALL,
    size: Size = None,
    overwrite: Overwrite = False,
    report: Report = None,
) -> None:
    """Apply a lookup table to each photo."""
    output = _output(out, fmt, quality, size, "srgb", overwrite, facts)
    try:
        table = weaken(read_table(cube), strength / 100)
    except NuvettError as error:
        stop(f"{cube}: {error.message}")
    except OSError as error:
        stop(f"{cube}: {error.strerror or error}.")
    outcomes = _run(_checked(photos), lambda step: batch.apply_table_files(photos, table, output, LIMITS, step))
    _finish(outcomes, report)


@app.command()
def infer(
    before: Annotated[list[Path], typer.Option(help="Picture as it was; give one for each --after.")],
    after: Annotated[list[Path], typer.Option(help="The same picture, finished.")],
    cube: Annotated[Path, typer.Option(help="Where to write the lookup table: .cube, .clf or .cdl.")],
    overwrite: Overwrite = False,
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
    outcomes = _run(photos, lambda step: batch.drift_files(photos, target, LIMITS, step))
    print(json.dumps({"photos": [_row(outcome) for outcome in outcomes]}, indent=2))
    _finish(outcomes, None)


@app.command()
def password() -> None:
    """Ask for a password twice and print its hash, for NUVETT_PASSWORD."""
    chosen = typer.prompt("Password", hide_input=True, confirmation_prompt="Once more", err=True)
    if len(chosen) < _SHORTEST_PASSWORD:
        stop(f"A password needs {_SHORTEST_PASSWORD} characters at least.")
    print(hash_password(chosen))


@app.command()
def check(
    deep: Annotated[bool, typer.Option("--deep", help="Read every file to see whether it is what was kept.")] = False,
    mend: Annotated[bool, typer.Option("--mend", help="Make anew, set aside and clear what was found.")] = False,
) -> None:
    """Look for files that are missing, damaged, unfinished or used by nothing in this installation; 1 if any are."""
    try:
        findings = checkup.check_installation(deep, mend)
    except NuvettError as error:
        stop(error.message)
    for line in findings.words:
        print(line)
    print("Nothing is wrong." if not findings.words else "Mended." if mend else "Run it with --mend to have it mended.")
    if findings.words and not mend:
        raise typer.Exit(1)


if __name__ == "__main__":
    app()
