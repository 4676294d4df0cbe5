"""Parts of a picture as boxes of whole pixels, and one inside another."""

Box = tuple[int, int, int, int]
"""Left, top, width and height in pixels."""


def inside(box: Box, outer: Box) -> tuple[slice, slice]:
    """Rows and columns of a box in one that it lies in."""
    left, top = box[0] - outer[0], box[1] - outer[1]
    return slice(top, top + box[3]), slice(left, left + box[2])


def around_inner(inner: Box | None, box: Box) -> list[Box]:
    """The parts of a box above, below and beside one that lies in it; the whole where there is none."""
    if inner is None:
        return [box]
    left, top, width, height = box
    x, y, across, down = inner
    return [
        (left, top, width, y - top),
        (left, y + down, width, top + height - y - down),
        (left, y, x - left, down),
        (x + across, y, left + width - x - across, down),
    ]
