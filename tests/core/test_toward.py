"""What tells finished frames apart, and taking one difference over by some amount."""

import numpy as np
import pytest

from nuvett.core.look.common import COMMON_VALUES, Common
from nuvett.core.planning.toward import by_zone, changed_by, differences, toward
from nuvett.core.types import OKLab
from tests.strategies import cloud

HERE = OKLab(cloud(5, 900) * np.float32((0.5, 0.2, 0.2)) + np.float32((0.2, -0.02, -0.01)))
CHANGES = {
    "light": (Common(exposure=0.5), "lighter", "darker"),
    "contrast": (Common(contrast=40), "more contrast", "less contrast"),
    "warmth": (Common(warmth=20), "warmer", "cooler"),
    "tint": (Common(tint=15), "pinker", "greener"),
    "chroma": (Common(saturation=50), "richer", "duller"),
}


@pytest.mark.parametrize("kind", CHANGES)
def test_a_change_is_told_first_in_its_words_and_taken_over_whole_or_by_half(kind: str) -> None:
    change, more, less = CHANGES[kind]
    other = changed_by(change, HERE)
    (name,) = [field for field in COMMON_VALUES if getattr(change, field)]
    there, back = differences(HERE, other), differences(other, HERE)
    assert more in [one.words for one in there] and less in [one.words for one in back]
    whole, half = (getattr(toward(HERE, other, kind, share), name) for share in (1, 0.5))
    assert whole == pytest.approx(getattr(change, name), rel=0.05)
    assert 0.3 * whole < half < 0.7 * whole
    home = getattr(toward(other, HERE, kind, 1), name)
    assert home < 0, "the way back is the other way"


def test_frames_that_are_alike_differ_in_nothing_and_zones_say_where() -> None:
    assert differences(HERE, HERE) == ()
    lifted = OKLab(HERE.copy())
    lifted[:, 0] += np.float32(0.1) * (1 - HERE[:, 0]) ** 3
    zones = dict(by_zone(HERE, lifted))
    assert zones["shadows"] > zones["midtones"] > zones["highlights"] >= 0
    with pytest.raises(KeyError):
        toward(HERE, lifted, "gloss", 1)
