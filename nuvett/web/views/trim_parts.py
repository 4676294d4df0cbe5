"""Parts of a trim, as screens list them."""

from nuvett.core.look.trim import Trim, filled_parts


def part_titles() -> list[tuple[str, str]]:
    """Parts by which a trim is copied: names and words."""
    whole = {
        "strength": "Strength of the look",
        "geometry": "Straighten and crop",
        "spots": "Spots painted out, where they show",
        "areas": "Areas",
        "without": "Areas of the look left out",
    }
    return list((whole | {kind.name: kind.title for kind in Trim.kinds}).items())


def ticked(trim: Trim) -> list[str]:
    """Parts that are ticked unasked: those that there is something in, but for geometry, which is a frame's own."""
    return [name for name in filled_parts(trim) if name != "geometry"]
