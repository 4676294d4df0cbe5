"""What is wrong with a document, in words."""

from pydantic import ValidationError


def what_is_wrong(error: ValidationError, kind: str, schema: int) -> str:
    """The first thing that is wrong with a document, as a sentence."""
    first = error.errors()[0]
    place = ".".join(str(part) for part in first["loc"])
    if place == "schema_version":
        return f"This {kind} has schema {first['input']}; this version reads schema {schema}. Nothing was changed."
    if not place:
        return f"This is not a {kind} document: the JSON is damaged."
    words = first["msg"].removeprefix("Value error, ")
    return f"This is not a usable {kind}: {place}: {words[0].lower()}{words[1:]}."
