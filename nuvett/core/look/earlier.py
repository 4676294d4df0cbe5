"""Looks and trims of earlier schemas, read as they are now."""

from typing import Any

Plain = dict[str, Any]
_USUAL_BEFORE_3: dict[str, Plain] = {
    "tone": {"amount": 75},
    "zones": {"amount": 80, "whites": 100},
    "spread": {"amount": 60},
    "moves": {"amount": 50},
    "hold": {"on": False, "where": "everywhere"},
}


def look_from_earlier(data: Plain, schema: int) -> Plain:
    """A look as it is now, of any schema so far.

    Schema 1 had fewer steps; before schema 3 usual amounts were others, and nothing kept its own colour; before schema
    4 picked holds stood beside the hold of skin, and acted without it. Schema 4 had no areas.
    """
    if data.get("schema_version") in (1, 2):
        given = {name: data.get(name, {}) for name in _USUAL_BEFORE_3}
        steps = {name: {**_USUAL_BEFORE_3[name], **own} for name, own in given.items() if isinstance(own, dict)}
        data = {"vivid": 0, **data, **steps, "schema_version": 3}
    if data.get("schema_version") == 3:
        kept = data.get("kept") or ()
        data = {name: value for name, value in data.items() if name != "kept"} | {"schema_version": schema}
        hold = data.get("hold", {})
        if kept and isinstance(hold, dict):
            skin = {"where": "nowhere", "on": True} if hold.get("on") is False else {}
            data["hold"] = {**hold, **skin, "families": kept}
    return {**data, "schema_version": schema} if data.get("schema_version") == 4 else data


def trim_from_earlier(data: Plain, schema: int) -> Plain:
    """A trim as it is now: those of schema 1 had four numbers beside the strength of the look, and no steps.

    Schema 2 had neither areas nor geometry.
    """
    if data.get("schema_version") == 2:
        return {**data, "schema_version": schema}
    numbers = all(isinstance(value, int | float) for value in data.values())
    if data.get("schema_version", 1) != 1 or not numbers or not set(data) <= _FIRST_TRIM:
        return data
    made: Plain = {"schema_version": schema, "strength": data.get("strength", 100)}
    if data.get("warmth") or data.get("tint"):
        made["white"] = {name: data[name] for name in ("warmth", "tint") if name in data}
    for name in ("exposure", "saturation"):
        if data.get(name):
            made[name] = {name: data[name]}
    return made


_FIRST_TRIM = {"schema_version", "exposure", "warmth", "tint", "saturation", "strength"}
