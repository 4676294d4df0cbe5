"""The small networks that ship with the application: each loaded once, and asked by one thread at a time.

Those in TensorFlow Lite's form are asked for every picture that arrives, by its own runtime: the library that has the
others takes three times as long for the same answers.
"""

import os
import sys
import tempfile
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from functools import cache
from importlib.resources import as_file, files
from threading import Lock
from typing import Any

import cv2
import numpy as np
from ai_edge_litert.interpreter import Interpreter
from numpy.typing import NDArray

from nuvett.core.types import Floats

# Two threads that load their first network at once get in each other's way inside the library.
_LOADING = Lock()
_GREETING = b"Created TensorFlow Lite XNNPACK delegate"


@cache
def _loaded(name: str) -> tuple[cv2.dnn.Net, Lock]:
    with as_file(files("nuvett.imaging") / "nets" / name) as path:
        return cv2.dnn.readNetFromONNX(str(path)), Lock()


@cache
def _loaded_light(name: str) -> tuple[Interpreter, Lock]:
    with as_file(files("nuvett.imaging") / "nets" / name) as path:
        with _unsaid(_GREETING):
            interpreter = Interpreter(str(path), num_threads=1)
            interpreter.allocate_tensors()
        return interpreter, Lock()


@contextmanager
def _unsaid(words: bytes) -> Iterator[None]:
    """Lines that hold some words are left out of what the process says; those that others say meanwhile come later."""
    if sys.stderr is None:  # a process that was started without anywhere to speak
        yield
        return
    sys.stderr.flush()
    spoken = os.dup(2)
    try:
        with tempfile.TemporaryFile() as heard:
            os.dup2(heard.fileno(), 2)
            try:
                yield
            finally:
                os.dup2(spoken, 2)
            heard.seek(0)
            os.write(2, b"".join(line for line in heard if words not in line))
    finally:
        os.close(spoken)


def answers_of(name: str, given: NDArray[Any], layers: Sequence[str] = ()) -> list[Floats]:
    """Answers (channels, ...) of named layers of an ONNX network, or of its last, to one input (1, channels, h, w)."""
    with _LOADING:
        net, lock = _loaded(name)
    with lock:
        net.setInput(np.ascontiguousarray(given))
        answers = net.forward(list(layers)) if layers else [net.forward()]
        return [np.array(answer[0], dtype=np.float32) for answer in answers]


def answers_of_light(name: str, given: Floats, outputs: Sequence[str] = ()) -> list[Floats]:
    """Answers of named outputs of a TensorFlow Lite network, or of all, to one input (h, w, channels)."""
    with _LOADING:
        interpreter, lock = _loaded_light(name)
    with lock:
        interpreter.set_tensor(interpreter.get_input_details()[0]["index"], given[None])
        interpreter.invoke()
        places = {output["name"]: output["index"] for output in interpreter.get_output_details()}
        return [np.array(interpreter.get_tensor(places[name])[0]) for name in outputs or places]
