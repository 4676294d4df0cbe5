"""ICC profiles of the registered RGB spaces: matrix and parametric curve, ICC.1:2022 (profile version 4.4)."""

import struct
from functools import cache
from importlib.resources import as_file, files
from pathlib import Path

import numpy as np

from nuvett.core.spaces.rgb import D50, D65, DELIVERED, SPACES, Space, adaptation_matrix, to_xyz_matrix

_EPOCH = struct.pack(">6H", 2026, 1, 1, 0, 0, 0)


def _fixed(*values: float) -> bytes:
    return b"".join(struct.pack(">i", round(v * 65536)) for v in values)


def _text(text: str) -> bytes:
    encoded = text.encode("utf-16-be")
    return b"mluc" + bytes(4) + struct.pack(">II2s2sII", 1, 12, b"en", b"GB", len(encoded), 28) + encoded


def build_profile(name: Space) -> bytes:
    """Bytes of a display profile for one space, the same bytes every time."""
    space = SPACES[name]
    to_d50 = adaptation_matrix(D65, D50)
    colourants = to_d50 @ to_xyz_matrix(name)
    kind, parameters = space.curve.parameters
    curve = b"para" + bytes(4) + struct.pack(">HH", kind, 0) + _fixed(*parameters)
    white = to_d50 @ np.array([D65[0] / D65[1], 1.0, (1 - D65[0] - D65[1]) / D65[1]])
    adaptation = adaptation_matrix(space.white, D50).reshape(-1)
    tags: list[tuple[bytes, bytes]] = [
        (b"desc", _text(space.title)),
        (b"cprt", _text("No copyright; made from the published primaries of the space")),
        (b"wtpt", b"XYZ " + bytes(4) + _fixed(*white)),
        (b"chad", b"sf32" + bytes(4) + _fixed(*adaptation)),
        *((tag, b"XYZ " + bytes(4) + _fixed(*colourants[:, i])) for i, tag in enumerate((b"rXYZ", b"gXYZ", b"bXYZ"))),
        *((tag, curve) for tag in (b"rTRC", b"gTRC", b"bTRC")),
    ]
    offset = 128 + 4 + 12 * len(tags)
    table, body, placed = struct.pack(">I", len(tags)), b"", {}
    for tag, data in tags:
        if data not in placed:
            placed[data] = offset + len(body)
            body += data + bytes(-len(data) % 4)
        table += struct.pack(">4sII", tag, placed[data], len(data))
    size = 128 + len(table) + len(body)
    header = struct.pack(">I4sI4s4s4s", size, bytes(4), 0x04400000, b"mntr", b"RGB ", b"XYZ ") + _EPOCH
    header += b"acsp" + bytes(4) + bytes(4) + bytes(8) + bytes(8) + struct.pack(">I", 0) + _fixed(0.9642, 1, 0.8249)
    return header.ljust(128, b"\0") + table + body


def space_of(profile: bytes) -> Space | None:
    """The delivery space whose primaries are nearest to those of a matrix profile; none for any other profile."""
    found = [_colourant(profile, tag) for tag in (b"rXYZ", b"gXYZ", b"bXYZ")]
    if any(one is None for one in found):
        return None
    matrix, to_d50 = np.array(found).T, adaptation_matrix(D65, D50)
    return min(DELIVERED, key=lambda name: float(np.abs(to_d50 @ to_xyz_matrix(name) - matrix).max()))


def _colourant(profile: bytes, tag: bytes) -> tuple[float, ...] | None:
    """XYZ of a tag of a profile (ICC.1:2022, 7.3 and 10.31), none where it has no such."""
    try:
        (count,) = struct.unpack_from(">I", profile, 128)
        for index in range(min(count, 100)):
            name, offset, _ = struct.unpack_from(">4sII", profile, 132 + 12 * index)
            if name == tag and profile[offset : offset + 4] == b"XYZ ":
                return tuple(value / 65536 for value in struct.unpack_from(">3i", profile, offset + 8))
    except struct.error:
        pass
    return None


@cache
def profile_bytes(space: Space) -> bytes:
    """The shipped profile of a space."""
    return (files("nuvett.imaging") / "profiles" / f"{space.value}.icc").read_bytes()


@cache
def profile_path(space: Space) -> Path:
    """Where the shipped profile of a space lies, for libraries that want a file."""
    with as_file(files("nuvett.imaging") / "profiles" / f"{space.value}.icc") as path:
        return path
