"""What is handed over, and how: the settings of a delivery, which can be kept by name and used again."""

from typing import Any, Literal

from pydantic import Field, ValidationError, field_validator, model_validator

from nuvett.core.errors import InvalidChangeError
from nuvett.core.fields import choice, switch
from nuvett.core.output.sharpening import SHARPEN_WORDS, Sharpen
from nuvett.core.output.sizes import Resize
from nuvett.core.spaces.rgb import DELIVERED, SPACES, Space
from nuvett.core.types import Document
from nuvett.imaging.encode import FORMATS, USUAL_QUALITY, Format
from nuvett.imaging.facts import KEEP_WORDS, Credits, Keep
from nuvett.services.delivery.file_names import Pattern, check_pattern
from nuvett.services.files.writing import Written
from nuvett.store import models

What = Literal["all", "chosen", "favourites"]
WHAT_WORDS: dict[What, str] = {
    "all": "all frames that follow the look",
    "chosen": "those chosen on the wall",
    "favourites": "favourites",
}
Clash = Literal["stop", "beside"]
CLASH_WORDS: dict[Clash, str] = {
    "stop": "stop and say so",
    "beside": "keep both, the new one with a number",
}
MAX_OUTPUTS = 6
PICTURE = "picture"
"""Kind of a delivery's files that are pictures; what goes along with them has kinds of its own."""
_FIRST_SCHEMA = {"format", "quality", "size", "space"}  # of one kind of file, at the top


class Output(Document):
    """One kind of file. most_kilobytes : its quality is lowered until it fits; folder : pattern of its folders."""

    format: Format = Format.JPEG
    quality: int = Field(default=USUAL_QUALITY, ge=1, le=100)
    most_kilobytes: int | None = Field(default=None, ge=10, le=2_000_000)
    resize: Resize = Resize()
    sharpen: Sharpen = "none"
    space: Space = Space.SRGB
    folder: str = Field(default="", max_length=120)

    @field_validator("space")
    @classmethod
    def _is_for_files(cls, space: Space) -> Space:
        if space not in DELIVERED:
            raise ValueError("no finished file is in this space")
        return space

    @property
    def words(self) -> str:
        """In words, as a list of deliveries says it."""
        sharp = "" if self.sharpen == "none" else f", sharpened {SHARPEN_WORDS[self.sharpen]}"
        most = f", at most {self.most_kilobytes} kB" if self.most_kilobytes else ""
        return f"{FORMATS[self.format].title}, {self.resize.words}, {SPACES[self.space].title}{sharp}{most}"


class Papers(Document):
    """What goes along with the pictures.

    sheet : contact sheet; columns : pictures beside each other on it; palette, drift : under each picture
    """

    sheet: Literal["none", "pdf", "jpeg", "both"] = choice(
        "none", "Contact sheet", {"none": "none", "pdf": "PDF", "jpeg": "JPEG", "both": "PDF and JPEG"}
    )
    columns: int = Field(default=4, ge=1, le=8)
    palette: bool = switch(False, "each frame's palette on the sheet")
    drift: bool = switch(False, "each frame's drift on the sheet")
    record: bool = switch(False, "a record of what was done, as a page and as JSON")
    tables: bool = switch(False, "the look as a lookup table")
    palettes: bool = switch(False, "the palette aimed at")
    cards: bool = switch(False, "the palette aimed at as a card, SVG and PDF")
    pairs: bool = switch(False, "before and after, in pairs and on one sheet")
    strip: bool = switch(False, "the whole series as a strip, as it came above and finished below")
    checksums: bool = switch(False, "a list of checksums")


class DeliverySettings(Document):
    """How finished files are made. pattern : of their names; start, digits : of its counter.

    outliers, variants : whether frames that stand out, and variants, go along
    folder : of this machine that files are written into, below the one that is meant for it; none for a ZIP alone
    clash : what happens where the folder holds a file of a name already that this delivery did not make
    """

    schema_version: Literal[2] = 2
    what: What = "all"
    outliers: bool = True
    variants: bool = True
    outputs: tuple[Output, ...] = Field(default=(Output(),), min_length=1, max_length=MAX_OUTPUTS)
    pattern: str = Field(default="{name}", min_length=1, max_length=120)
    start: int = Field(default=1, ge=0, le=1_000_000)
    digits: int | None = Field(default=None, ge=1, le=9)
    facts: Keep = Keep.ALL
    papers: Papers = Papers()
    folder: str = Field(default="", max_length=200)
    clash: Clash = "stop"

    @model_validator(mode="before")
    @classmethod
    def _from_earlier(cls, data: Any) -> Any:
        if not isinstance(data, dict) or not _FIRST_SCHEMA & set(data):
            return data
        rest = {name: value for name, value in data.items() if name not in (*_FIRST_SCHEMA, "schema_version")}
        output = {name: data[name] for name in ("format", "quality", "space") if name in data}
        if data.get("size"):
            output["resize"] = {"by": "long", "pixels": data["size"]}
        return {**rest, "outputs": [output]}

    @field_validator("pattern")
    @classmethod
    def _names_something(cls, pattern: str) -> str:
        check_pattern(pattern)
        return pattern

    def written(self, number: int, credits: Credits) -> Written:
        """How pictures of one of the kinds of file are written."""
        output = self.outputs[number]
        return Written(
            format=output.format,
            quality=output.quality,
            most_kilobytes=output.most_kilobytes,
            resize=output.resize,
            sharpen=output.sharpen,
            space=output.space,
            keep=self.facts,
            credits=credits,
        )

    @property
    def patterns(self) -> list[Pattern]:
        """How the files of each output are named."""
        return [
            Pattern(self.pattern, FORMATS[one.format].suffix, one.folder, self.start, self.digits)
            for one in self.outputs
        ]

    @property
    def words(self) -> str:
        """In words, as a list of deliveries says it."""
        return " and ".join(output.words for output in self.outputs)


def settings_of(delivery: models.DeliveryRow) -> DeliverySettings:
    """Settings that a delivery was ordered with."""
    return DeliverySettings.model_validate(delivery.settings)


def read_settings(data: dict[str, Any]) -> DeliverySettings:
    """Settings from a form or a document. Raises InvalidChangeError with the field that is not possible."""
    try:
        return DeliverySettings.model_validate(data)
    except ValidationError as error:
        first = error.errors()[0]
        place = [str(part) for part in first["loc"] if not str(part).isdigit()]
        field = place[-1].replace("_", " ").capitalize() if place else "Settings"
        message = first["msg"].removeprefix("Value error, ")
        raise InvalidChangeError(f"{field}: {message[0].lower()}{message[1:]}.") from error


def format_choices() -> list[tuple[str, str, bool]]:
    """Delivery formats: as settings spell them, in words, and whether a quality is chosen."""
    return [(fmt.value, facts.title, facts.has_quality) for fmt, facts in FORMATS.items()]


def facts_choices() -> list[tuple[str, str]]:
    """Which facts of the originals files may carry: as settings spell them, and in words."""
    return [(keep.value, words) for keep, words in KEEP_WORDS.items()]
