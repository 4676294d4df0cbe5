"""Small networks: what their runtime says of itself stays unsaid, and nothing else does."""

import os
import subprocess
import sys

import pytest

from nuvett.imaging import networks
from tests.conftest import PROJECT

ASKING = """
import numpy as np
from nuvett.imaging.networks import answers_of_light
(answer,) = answers_of_light("person.tflite", np.full((256, 256, 3), 0.5, dtype=np.float32))
print(answer.shape)
"""


def test_asking_a_network_says_nothing() -> None:
    asked = subprocess.run([sys.executable, "-c", ASKING], cwd=PROJECT, capture_output=True, text=True, check=True)
    assert (asked.stdout, asked.stderr) == ("(256, 256, 1)\n", "")


def test_what_others_say_meanwhile_is_said_later_and_what_fails_still_fails(capfd: pytest.CaptureFixture[str]) -> None:
    with networks._unsaid(b"Created"):
        os.write(2, b"INFO: Created something\nsomething is wrong\n")
    with pytest.raises(ValueError, match="inside"), networks._unsaid(b"Created"):
        raise ValueError("inside")
    os.write(2, b"after that\n")
    assert capfd.readouterr().err == "something is wrong\nafter that\n"
