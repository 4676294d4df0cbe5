"""Options of all commands that write pictures: declared once, and handed to each as one value."""

import inspect
from collections.abc import Callable
from functools import wraps
from pathlib import Path
from typing import Annotated, Any

import typer

from nuvett.commands.looks import stop
from nuvett.core.output.sharpening import SHARPEN_WORDS, Sharpen
from nuvett.core.output.sizes import Resize
from nuvett.core.spaces.rgb import DELIVERED, Space
from nuvett.imaging.encode import USUAL_QUALITY, Format
from nuvett.imaging.facts import Credits, Keep
from nuvett.services.files.batch import WriteSettings
from nuvett.services.files.writing import Written

_SOURCE = "source"
_SPACES = {space.value: space for space in DELIVERED}


def _option(name: str, kind: Any, default: Any, *words: str, **limits: Any) -> inspect.Parameter:
    declared = Annotated[kind, typer.Option(*words[:-1], help=words[-1], **limits)]
    return inspect.Parameter(name, inspect.Parameter.KEYWORD_ONLY, default=default, annotation=declared)


def _options(space: str) -> list[inspect.Parameter]:
    named = ", ".join(SHARPEN_WORDS)
    return [
        _option("fmt", Format | None, None, "--format", "File format; by default as the source."),
        _option("quality", int, USUAL_QUALITY, "--quality", "Quality of JPEG, WebP and AVIF.", min=1, max=100),
        _option("most_kilobytes", int | None, None, "--most-kilobytes", "Lower the quality until a file fits.", min=10),
        _option(
            "size", int | None, None, "--size", "Long edge in pixels; by default as the source.", min=16, max=60000
        ),
        _option("sharpen", str, "none", "--sharpen", f"Sharpening for the size: {named}."),
        _option("space", str, space, "--space", f"{', '.join(_SPACES)} or {_SOURCE}, that of each file."),
        _option("facts", Keep, Keep.ALL, "--facts", "Metadata of the originals that the files carry."),
        _option("creator", str, "", "--creator", "Who made the pictures; by default as the original says."),
        _option("rights", str, "", "--rights", "Who holds which rights; by default as the original says."),
        _option("caption", str, "", "--caption", "What they show; by default as the original says."),
        _option("overwrite", bool, False, "--overwrite", "Replace files that exist."),
    ]


def _output(out: Path, given: dict[str, Any]) -> WriteSettings:
    space, sharpen = given["space"], given["sharpen"]
    if space != _SOURCE and space not in _SPACES:
        stop(f"{space!r} is not a delivery space; choose one of {', '.join([*_SPACES, _SOURCE])}.")
    if sharpen not in SHARPEN_WORDS:
        stop(f"--sharpen takes {', '.join(SHARPEN_WORDS)}, not {sharpen!r}.")
    if out.exists() and not out.is_dir():
        stop(f"{out} is a file, not a folder.")
    how: Sharpen = sharpen
    written = Written(
        quality=given["quality"],
        most_kilobytes=given["most_kilobytes"],
        resize=Resize(by="long", pixels=given["size"]) if given["size"] else Resize(),
        sharpen=how,
        keep=given["facts"],
        credits=Credits(creator=given["creator"], rights=given["rights"], caption=given["caption"]),
    )
    chosen = None if space == _SOURCE else _SPACES[space]
    return WriteSettings(out, written, given["fmt"], chosen, given["overwrite"])


def writes_pictures(space: Space | None = Space.SRGB) -> Callable[[Callable[..., None]], Callable[..., None]]:
    """A command that writes pictures: it is handed `output`, made of the options that all such commands have.

    space : of files unasked; none for that of each source. The command names its folder `out`.
    """
    options = _options(space.value if space else _SOURCE)

    def declared(command: Callable[..., None]) -> Callable[..., None]:
        own = [p for p in inspect.signature(command).parameters.values() if p.name != "output"]

        @wraps(command)
        def run(*_: Any, **given: Any) -> None:
            taken = {option.name: given.pop(option.name) for option in options}
            command(output=_output(given.pop("out"), taken), **given)

        folder = _option("out", Path, inspect.Parameter.empty, "--out", "Folder for the finished pictures.")
        every = [*(p.replace(kind=inspect.Parameter.KEYWORD_ONLY) for p in own), folder, *options]
        run.__signature__ = inspect.Signature(every)  # type: ignore[attr-defined]
        run.__annotations__ = {p.name: p.annotation for p in every}
        return run

    return declared
