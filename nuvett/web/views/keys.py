"""Keys of each screen. A letter means the same wherever it works; what changes many frames at once takes Shift."""

from dataclasses import dataclass


@dataclass(frozen=True)
class Key:
    """A key, what it does in words, and the name of the control it works (its `data-key`); held keys act while down."""

    key: str
    words: str
    held: bool = False


_AT_A_SHEET = (
    Key("o", "original, while held", held=True),
    Key("n", "next frame"),
    Key("b", "frame before"),
    Key("0", "whole frame"),
    Key("1", "one to one"),
    Key("2", "two to one"),
    Key("v", "show what clips"),
    Key("m", "move a colour"),
    Key("+", "bring in a step that is idle"),
    Key("a", "add an area"),
    Key("w", "show where the area is"),
    Key("l", "kept looks at hand"),
    Key("u", "undo"),
    Key("r", "redo"),
)
"""Keys of screens that have the viewer and a sheet."""

KEYS: dict[str, tuple[Key, ...]] = {
    "everywhere": (
        Key("?", "show or hide this list of keys"),
        Key("[", "stage before"),
        Key("]", "stage after"),
        Key(".", "next part of the screen: picture, instruments, sheet"),
        Key(",", "part before"),
    ),
    "gather": (
        Key("a", "add photos"),
        Key("h", "make the frame in focus the hero"),
        Key("x", "see the frame in focus large"),
        Key("/", "find by name"),
        Key("u", "undo"),
        Key("r", "redo"),
    ),
    "read": (
        Key("p", "sample patches"),
        Key("i", "sample free outlines"),
        Key("f", "sample colour families"),
        Key("t", "place points"),
        Key("c", "add one at the centre"),
        Key("w", "sample the whole still again"),
        Key("n", "next reference"),
        Key("b", "reference before"),
        Key("u", "undo"),
        Key("r", "redo"),
        Key("y", "save, use or write out the palette"),
        Key("a", "add stills or a clip"),
        Key("k", "open the clip"),
        Key("d", "compare references"),
        Key("s", "shape the look"),
    ),
    "compare": (Key("g", "show the chosen references"), Key("d", "back to Read")),
    "clip": (
        Key("n", "next frame"),
        Key("b", "frame before"),
        Key("N", "24 frames on"),
        Key("B", "24 frames back"),
        Key("a", "add this frame as a still"),
        Key("k", "done with the clip, to Read"),
    ),
    "shape": (
        *_AT_A_SHEET,
        Key("z", "history"),
        Key("j", "keep this look in the lookbook"),
        Key("C", "carry to all frames"),
    ),
    "carry": (
        Key("o", "original"),
        Key("e", "evened"),
        Key("f", "as it is carried"),
        Key("l", "with the look in work"),
        Key("w", "as it would be carried anew"),
        Key("q", "the other order"),
        Key("/", "find by name"),
        Key("x", "see the frame in focus large"),
        Key("u", "undo the last carrying"),
        Key("C", "carry to all frames"),
    ),
    "trim": (
        *_AT_A_SHEET,
        Key("z", "history"),
        Key("y", "paint spots out"),
        Key("g", "straighten and crop"),
        Key("d", "do the same to other frames"),
        Key("p", "put parts of the trim into the look"),
        Key("k", "make a variant"),
        Key("e", "let the brush erase"),
        Key("<", "a narrower brush"),
        Key(">", "a wider brush"),
        Key("(", "a softer brush"),
        Key(")", "a harder brush"),
    ),
    "threads": (
        Key("f", "follow another thing"),
        Key("y", "yes, this is it"),
        Key("n", "no, it is not"),
        Key("s", "leave it open"),
        Key("u", "undo"),
        Key("r", "redo"),
        Key("+", "a larger outline in the frame in focus"),
        Key("-", "a smaller one"),
    ),
    "beside": (Key("0", "whole frames"), Key("1", "one to one")),
    "lookbook": (
        Key("/", "find by name or use"),
        Key("a", "add looks and tables"),
        Key("f", "make the look in focus a favourite"),
        Key("s", "use the look in focus here"),
        Key("d", "put it beside another"),
        Key("e", "revise it"),
        Key("y", "write it out"),
        Key("t", "more that can be done with it"),
    ),
    "handover": (Key("M", "make the files"),),
}
