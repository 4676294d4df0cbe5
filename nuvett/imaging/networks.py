"""The small networks that ship with the application: each loaded once, and asked by one thread at a time."""

from collections.abc import Sequence
from functools import cache
from importlib.resources import as_file, files
from threading import Lock
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from nuvett.core.types import Floats

# Two threads that load their first network at once get in each other's way inside the library.
_LOADING = Lock()


@cache
def _loaded(name: str) -> tuple[cv2.dnn.Net, Lock]:
    with as_file(files("nuvett.imaging") / "nets" / name) as path:
        read = cv2.dnn.readNetFromTFLite if name.endswith(".tflite") else cv2.dnn.readNetFromONNX
        return read(str(path)), Lock()


def answers_of(name: str, given: NDArray[Any], layers: Sequence[str] = ()) -> list[Floats]:
    """Answers (channels, ...) of named layers of a network, or of its last, to one input (1, channels, h, w)."""
    with _LOADING:
        net, lock = _loaded(name)
    with lock:
        net.setInput(np.ascontiguousarray(given))
        answers = net.forward(list(layers)) if layers else [net.forward()]
        return [np.array(answer[0], dtype=np.float32) for answer in answers]
