"""Hostile files: pictures cut short, bent, mislabelled, odd of name or shape, and things that are no pictures."""

import io
from collections.abc import Iterator

import numpy as np
from PIL import Image

from tools.home import PROJECT

_NAMES = (
    "plain.jpg", "../../etc/passwd.jpg", "con.jpg", "ünïcode — déjà.jpg", "a" * 300 + ".jpg", ".jpg", "no suffix",
    "two\nlines.jpg", "tab\there.jpg", "<b>bold</b>.jpg", "'; DROP TABLE frame; --.jpg", "\u202egpj.exe", "🏺.jpg",
    " .jpg",
)  # fmt: skip


def hostile(seed: int = 1) -> Iterator[tuple[str, bytes]]:
    """Names and bytes of files, each its own, always the same ones for a seed."""
    rng = np.random.default_rng(seed)
    good = {fmt: _picture(rng, fmt) for fmt in ("JPEG", "PNG", "TIFF", "WEBP", "AVIF")}
    frame = (PROJECT / "demo" / "frames" / "AT-0101.jpg").read_bytes()
    good["camera"] = frame
    for index, name in enumerate(_NAMES):
        yield name, _picture(np.random.default_rng(100 + index), "JPEG")
    for kind, data in good.items():
        for share in (0.01, 0.1, 0.5, 0.9, 0.999):
            yield f"cut {kind} {share}.jpg", data[: int(len(data) * share)]
        for number in range(10):
            yield f"bent {kind} {number}.jpg", _bent(rng, data, 1 + 4 * number)
        yield f"{kind} with more after.jpg", data + rng.bytes(500)
        yield f"{kind} twice.jpg", data * 2
    for size in ((1, 1), (3, 3), (1, 5000), (5000, 1), (17, 17)):
        yield f"{size[0]} by {size[1]}.png", _picture(rng, "PNG", size)
    for name, data in _no_pictures(rng).items():
        yield name, data
    for number in range(120):
        kind = list(good)[number % len(good)]
        yield f"random {number}.jpg", _bent(rng, good[kind], int(rng.integers(1, 200)))


def _no_pictures(rng: np.random.Generator) -> dict[str, bytes]:
    wide = bytearray(_picture(rng, "PNG"))
    wide[16:24] = b"\x00\x0f\xff\xff\x00\x0f\xff\xff"
    return {
        "empty.jpg": b"",
        "noise.jpg": rng.bytes(5000),
        "zeros.jpg": bytes(5000),
        "text.jpg": b"hello " * 500,
        "page.jpg": b"<html><script>alert(1)</script></html>",
        "drawing.jpg": b'<svg xmlns="http://www.w3.org/2000/svg" width="9" height="9"/>',
        "archive.jpg": b"PK\x03\x04" + rng.bytes(500),
        "document.jpg": b"%PDF-1.7\n" + rng.bytes(500),
        "script.jpg": b"#!/bin/sh\ntouch /tmp/owned\n",
        "playlist.webm": b"#EXTM3U\n/etc/passwd\n",
        "raw.dng": b"II*\0\x08\0\0\0\x01\0\x12\xc6\x01\0\x04\0\0\0\x01\x04\0\0\0\0\0\0" + rng.bytes(500),
        "a million wide.png": bytes(wide),
    }


def _picture(rng: np.random.Generator, fmt: str, size: tuple[int, int] = (160, 120)) -> bytes:
    small = rng.integers(0, 255, (12, 16, 3)).astype(np.uint8)
    out = io.BytesIO()
    Image.fromarray(small).resize(size, Image.Resampling.BICUBIC).save(out, fmt)
    return out.getvalue()


def _bent(rng: np.random.Generator, data: bytes, places: int) -> bytes:
    bent = bytearray(data)
    for at in rng.integers(0, len(bent), places):
        bent[at] = int(rng.integers(0, 256))
    return bytes(bent)
