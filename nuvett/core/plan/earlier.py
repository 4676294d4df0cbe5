"""Plans of earlier schemas: of schema 1, which were a fixed record of stages, and of 2, which had no layers."""

from typing import Any

from nuvett.core.even.light import join_gains

_HUES = ("pink", "red", "orange", "yellow", "green", "teal", "blue", "violet")
_HUE_PLACES = (0.0, 28.0, 58.0, 105.0, 145.0, 195.0, 262.0, 310.0)
_PERCENT = 0.01
Plain = dict[str, Any]


def _amounts(step: Plain) -> Plain:
    return {"amount": step.get("amount", 100) * _PERCENT, "part": step.get("part", "both")}


def grey_hues(mono: Plain) -> list[Plain]:
    """Weights of eight hue words, between which was interpolated, as hues with reach: the same weight at every hue."""
    count = len(_HUES)
    found = []
    for index, (name, hue) in enumerate(zip(_HUES, _HUE_PLACES, strict=True)):
        if mono.get(name):
            before = (hue - _HUE_PLACES[index - 1]) % 360
            after = (_HUE_PLACES[(index + 1) % count] - hue) % 360
            found.append({"hue": hue, "lighter": mono[name], "before": before, "after": after})
    return found


def _gains(exposure: float, white: Plain) -> Plain:
    gains = join_gains(exposure, white.get("warmth", 0), white.get("tint", 0))
    return {"kind": "gains", "gains": [float(gain) for gain in gains]}


def from_first_schema(data: Plain) -> Plain:
    """A plan of schema 1 as it is now. What is missing or damaged is left for validation to find."""
    trim, finish = data.get("trim") or {}, data.get("finish") or {}
    strength = data.get("strength", 0)
    look = [*_fitted(data), *_by_hand(data), {"kind": "ease"}, *_held(data)] if strength else []
    groups = [
        {"name": "light", "operations": [{"kind": "gains", "gains": data["gains"], "camera": data.get("camera", 0)}]},
        {"name": "look", "strength": strength, "operations": [*look, *_finish(finish)] if strength else []},
        {"name": "trim", "operations": _trim(trim)},
    ]
    return {"schema_version": 3, "groups": groups, "seed": data.get("seed", 0)}


def from_second_schema(data: Plain) -> Plain:
    """A plan of schema 2 as it is now: its groups had a place for an area, which was never taken."""
    groups = [
        {name: value for name, value in group.items() if name != "area" or value is not None}
        if isinstance(group, dict)
        else group
        for group in data.get("groups", ())
    ]
    return {**data, "schema_version": 3, "groups": groups}


def _fitted(data: Plain) -> list[Plain]:
    keeps = data.get("keeps") or {}
    return [
        {"kind": "tone", "curve": data["tone"]},
        {"kind": "tint", "before": data["zone_from"], "after": data["zone_to"], "aims": data.get("zone_aims", ())},
        {"kind": "spread", "about": data["zone_to"], "matrix": data["zone_matrix"]},
        {"kind": "moves", "moves": data.get("moves", ())},
        {"kind": "keep", "vivid": keeps.get("vivid", 0), "whites": keeps.get("whites", 1)},
    ]


def _by_hand(data: Plain) -> list[Plain]:
    made, white, exposure = data.get("made") or {}, data.get("white") or {}, data.get("exposure") or {}
    found: list[Plain] = []
    if made.get("own"):
        found.append({"kind": "own-moves", "moves": made["own"], "part": made.get("own_part", "both")})
    if white.get("on", True) and (white.get("warmth") or white.get("tint")):
        found.append(_gains(0, white) | _amounts(white))
    if exposure.get("on", True) and (exposure.get("exposure") or exposure.get("contrast")):
        values = {"exposure": exposure.get("exposure", 0), "contrast": exposure.get("contrast", 0) * _PERCENT}
        found.append({"kind": "exposure", **values, "pivot": exposure.get("pivot", 50)} | _amounts(exposure))
    if (curve := made.get("curve") or {}).get("on") and _is_bent(curve):
        lines = {name: curve[name] for name in ("faded", "master", "red", "green", "blue") if name in curve}
        found.append({"kind": "curve", **lines} | _amounts(curve))
    saturation = data.get("saturation") or {}
    if saturation.get("on", True) and (saturation.get("saturation") or saturation.get("vibrance")):
        values = {name: saturation.get(name, 0) * _PERCENT for name in ("saturation", "vibrance")}
        found.append({"kind": "saturate", **values, "amount": saturation.get("amount", 100) * _PERCENT})
    if (wash := made.get("wash") or {}).get("on") and wash.get("colours"):
        found.append({"kind": "wash", "mode": wash["mode"], "colours": wash["colours"]} | _amounts(wash))
    if (gel := made.get("tint_filter") or {}).get("on"):
        found.append({"kind": "filter", "hue": gel["hue"]} | _amounts(gel))
    if (mono := made.get("mono") or {}).get("on"):
        toning = made.get("toning", ())
        found.append({"kind": "grey", "hues": grey_hues(mono), "toning": toning, "amount": mono["amount"] * _PERCENT})
    return found


def _is_bent(curve: Plain) -> bool:
    """Whether a curve did anything: one whose points all lay on the diagonal was taken for straight."""
    channels = ("master", "red", "green", "blue")
    return bool(curve.get("faded")) or any(y != x for name in channels for x, y in curve.get(name, ()))


def _held(data: Plain) -> list[Plain]:
    hold = data.get("hold") or {}
    # Before holds said where they act, they acted everywhere.
    everywhere = hold.get("where", "everywhere") == "everywhere"
    limits = {name: hold[name] for name in ("hue", "chroma", "lightness") if name in hold}
    skin = limits if hold.get("on") and (everywhere or data.get("skin")) else None
    mono = (data.get("made") or {}).get("mono") or {}
    grey = mono["amount"] * _PERCENT if mono.get("on") else 0
    families = data.get("kept", ())
    if skin is None and not families:
        return []
    return [{"kind": "hold", "skin": skin, "centres": data.get("skin", ()), "families": families, "grey": grey}]


def _finish(step: Plain) -> list[Plain]:
    if not step.get("on", True):
        return []
    share = step.get("amount", 100) * _PERCENT
    given = {name: step.get(name, 0) * _PERCENT * share for name in ("noise", "haze", "local", "softness")}
    found: list[Plain] = [{"kind": name, "amount": value} for name, value in given.items() if value]
    if step.get("sharpening"):
        amount = step["sharpening"] * _PERCENT * share
        found.append({"kind": "sharpen", "amount": amount, "spared": step.get("masking", 40) * _PERCENT})
    if step.get("vignette"):
        found.append({"kind": "vignette", "stops": step["vignette"] * _PERCENT, "amount": share})
    if step.get("grain"):
        found.append({"kind": "grain", "amount": step["grain"] * _PERCENT * share, "size": step.get("grain_size", 1)})
    return found


def _trim(trim: Plain) -> list[Plain]:
    found: list[Plain] = []
    if trim.get("exposure") or trim.get("warmth") or trim.get("tint"):
        found.append(_gains(trim.get("exposure", 0), trim))
    if trim.get("saturation"):
        found.append({"kind": "saturate", "saturation": trim["saturation"] * _PERCENT})
    return found
