"""Keys of each screen. Letters are taken from the words on the screen that they stand for."""

from dataclasses import dataclass


@dataclass(frozen=True)
class Key:
    """A key, what it does in words, and the name of the control it works (its `data-key`); held keys act while down."""

    key: str
    words: str
    held: bool = False


KEYS: dict[str, tuple[Key, ...]] = {
    "everywhere": (
        Key("?", "show or hide this list of keys"),
        Key("[", "stage before"),
        Key("]", "stage after"),
    ),
    "gather": (Key("a", "add photos"), Key("h", "make the frame in focus the hero")),
    "read": (
        Key("p", "sample patches"),
        Key("o", "sample free outlines"),
        Key("f", "sample colour families"),
        Key("t", "place points"),
        Key("m", "add one in the middle"),
        Key("w", "sample the whole still again"),
        Key("n", "next reference"),
        Key("b", "reference before"),
        Key("u", "undo"),
        Key("r", "do again"),
        Key("e", "save, use or write out the palette"),
        Key("a", "add stills or a clip"),
        Key("c", "open the clip"),
        Key("d", "compare references"),
        Key("s", "shape the look"),
    ),
    "compare": (Key("v", "show the chosen references"), Key("b", "back to Read")),
    "clip": (
        Key("n", "next frame"),
        Key("b", "frame before"),
        Key("N", "24 frames on"),
        Key("B", "24 frames back"),
        Key("t", "take this still"),
        Key("d", "done, to Read"),
    ),
    "shape": (
        Key("o", "original, while held", held=True),
        Key("n", "next frame"),
        Key("b", "frame before"),
        Key("f", "whole frame"),
        Key("1", "one to one"),
        Key("2", "two to one"),
        Key("l", "show what clips"),
        Key("m", "move a colour"),
        Key("u", "undo"),
        Key("r", "do again"),
        Key("h", "history"),
        Key("c", "carry"),
    ),
    "carry": (
        Key("o", "original"),
        Key("e", "evened"),
        Key("l", "with look"),
        Key("s", "shooting order"),
        Key("d", "order of drift"),
        Key("u", "undo the last carrying"),
        Key("c", "carry the look"),
    ),
    "trim": (
        Key("o", "without trim, while held", held=True),
        Key("n", "next frame"),
        Key("b", "frame before"),
        Key("u", "undo"),
        Key("r", "do again"),
    ),
    "handover": (Key("m", "make the files"),),
}
