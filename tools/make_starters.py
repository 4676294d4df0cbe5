"""Makes the starters of the lookbook: targets read from made-up references, which are demo pictures graded here.

`python -m tools.make_starters` writes nuvett/starters/*.json anew.
"""

import json
from dataclasses import dataclass, field
from pathlib import Path

import cv2
import numpy as np

from nuvett.core.book.files import Labels, LookFile
from nuvett.core.book.kept import USUAL_PARTS, Kept, bare_look
from nuvett.core.look.look import Look
from nuvett.core.measure.sampling import stratified_sample
from nuvett.core.measure.statistics import measure
from nuvett.core.plan.apply import apply_plan
from nuvett.core.planning.planning import aim_of_statistics, plan_frame
from nuvett.core.planning.series import pool_samples
from nuvett.core.reading.palette import USUAL, find_palette
from nuvett.core.reading.reading import Target
from nuvett.core.spaces.gamut import map_to_gamut
from nuvett.core.spaces.oklab import linear_to_oklab
from nuvett.core.spaces.rgb import to_linear
from nuvett.core.steps.curve import CurveStep
from nuvett.core.steps.exposure import ExposureStep
from nuvett.core.steps.finish import FinishStep
from nuvett.core.steps.hold import HoldStep
from nuvett.core.steps.mono import MonoStep
from nuvett.core.steps.saturation import SaturationStep
from nuvett.core.steps.step import Step
from nuvett.core.steps.tint_filter import FilterStep
from nuvett.core.steps.tone import ToneStep
from nuvett.core.steps.wash import WashStep
from nuvett.core.steps.white import WhiteStep
from nuvett.core.steps.zones import ZoneStep
from nuvett.core.types import Encoded01, Linear, OKLab

PROJECT = Path(__file__).resolve().parent.parent
DEMO, STARTERS = PROJECT / "demo", PROJECT / "nuvett" / "starters"
_EDGE = 480


@dataclass(frozen=True)
class Starter:
    """One starter: its words, the pictures its reference is made of, how they are graded, and what the look adds."""

    name: str
    use_when: str
    reason: str
    pictures: tuple[str, ...]
    graded: tuple[Step, ...] = ()
    steps: tuple[Step, ...] = ()
    whole: dict[str, float] = field(default_factory=dict)


def _frames(*numbers: int) -> tuple[str, ...]:
    return tuple(f"frames/AT-01{n:02}.jpg" for n in numbers)


STARTERS_MADE = (
    Starter(
        "Harbour dusk",
        "evening, lamps in frame",
        "cool shadows leave lamps and skin the only warm things",
        ("stills/still_1_teal_amber.jpg",),
        steps=(HoldStep(where="faces"),),
    ),
    Starter(
        "Chalk and lilac",
        "still lifes in flat light",
        "blacks that never close let pale things lie beside each other",
        ("stills/still_2_pale_pastel.jpg",),
    ),
    Starter(
        "Old brass",
        "timber, dark walls, one lamp",
        "one warm colour through all tones ties mixed wood and metal together",
        ("stills/still_3_green_gold.jpg",),
        whole={"strength": 85},
    ),
    Starter(
        "Silver, no colour",
        "a second version beside colour",
        "greys on the frames' own hues keep things apart that colour alone told apart",
        ("stills/still_4_silver.jpg",),
        steps=(MonoStep(on=True, toned=100),),
    ),
    Starter(
        "Noon linen",
        "white cloth and plates in daylight",
        "light middles with a little warmth keep white white and food fresh",
        _frames(1, 4, 9),
        (ExposureStep(exposure=0.55, contrast=-12), WhiteStep(warmth=8), SaturationStep(saturation=-8)),
        (ZoneStep(amount=60, whites=30),),
    ),
    Starter(
        "Pine shade",
        "gardens, leaves, overcast days",
        "green in the shadows and quiet lights read as shade and not as a cast",
        _frames(2, 7, 12),
        (ExposureStep(exposure=-0.3, contrast=8), WhiteStep(warmth=-6, tint=-16), SaturationStep(saturation=-18)),
        (HoldStep(where="everywhere"),),
    ),
    Starter(
        "Blue hour",
        "windows at nightfall, wet streets",
        "blue below and a low white point say evening while lamps stay yellow",
        _frames(5, 11, 17),
        (
            ExposureStep(exposure=-0.9, contrast=14),
            WhiteStep(warmth=-26),
            ZoneStep(shadow_hue=265, shadow=60, highlight_hue=85, highlight=30),
        ),
        whole={"strength": 90},
    ),
    Starter(
        "Clay kiln",
        "pottery, bread, brick, skin in the sun",
        "earth colours drawn together by a thin red-brown gel",
        _frames(2, 10, 20),
        (FilterStep(on=True, amount=34, hue=48), ExposureStep(contrast=12), SaturationStep(saturation=6)),
        (HoldStep(where="faces", hue=6),),
    ),
    Starter(
        "Rain glass",
        "grey days, glass, metal",
        "little colour and a long flat middle look like light through rain",
        _frames(3, 6, 15),
        (WhiteStep(warmth=-14, tint=-4), SaturationStep(saturation=-42), ExposureStep(contrast=-26)),
        (FinishStep(softness=12),),
    ),
    Starter(
        "Rose plaster",
        "people indoors, soft light",
        "pink in the lights and open shadows flatter skin without turning it",
        _frames(2, 13, 21),
        (
            ExposureStep(exposure=0.25, contrast=-14),
            ZoneStep(shadow_hue=20, shadow=25, highlight_hue=25, highlight=45),
            CurveStep(faded=10),
        ),
        (HoldStep(where="everywhere", hue=10),),
    ),
    Starter(
        "Ink and paper",
        "graphic things, strong light, hands at work",
        "hard black-and-white with a light sky and dark reds is read from afar",
        _frames(1, 10, 14),
        (MonoStep(on=True), ExposureStep(contrast=60)),
        (MonoStep(on=True, toned=0), ToneStep(amount=90, black=4, white=97)),
    ),
    Starter(
        "True goods",
        "catalogues whose colours must stay their own",
        "evens light and tone alone; colours keep nearly all of their own",
        _frames(4, 9, 19),
        (ExposureStep(exposure=0.15, contrast=6),),
        (WashStep(),),
        {"colour": 20, "vivid": 95},
    ),
)


def _pixels(path: Path) -> Linear:
    """A demo picture (N, 3), small, linear."""
    picture = cv2.imread(str(path))
    if picture is None:
        raise SystemExit(f"{path} is not there.")
    scale = _EDGE / max(picture.shape[:2])
    small = cv2.resize(picture, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
    encoded = cv2.cvtColor(small, cv2.COLOR_BGR2RGB).reshape(-1, 3) / np.float32(255)
    return to_linear(Encoded01(encoded.astype(np.float32)))


def _graded(linear: Linear, steps: tuple[Step, ...]) -> Linear:
    """A picture graded by hand, with itself for a target."""
    if not steps:
        return linear
    look = bare_look()
    for step in steps:
        look = look.with_step(step)
    own = measure(linear_to_oklab(stratified_sample(linear)))
    return Linear(map_to_gamut(apply_plan(plan_frame(own, aim_of_statistics(own), look), linear)))


def made(starter: Starter) -> LookFile:
    """A starter as a file."""
    pictures = [_graded(_pixels(DEMO / path), starter.graded) for path in starter.pictures]
    statistics = pool_samples([stratified_sample(picture) for picture in pictures])
    target = Target(palette=find_palette(OKLab(statistics.cloud), USUAL), statistics=statistics)
    look = Look(**starter.whole)
    for step in starter.steps:
        look = look.with_step(step)
    labels = Labels(name=starter.name, use_when=starter.use_when, group="Starters", came_from=starter.reason)
    return LookFile(labels=labels, kept=Kept(look=look, target=target, parts=USUAL_PARTS))


def main() -> None:
    """Write all of them."""
    STARTERS.mkdir(exist_ok=True)
    for old in STARTERS.glob("*.json"):
        old.unlink()
    for starter in STARTERS_MADE:
        name = "".join(c if c.isalnum() else "-" for c in starter.name.lower()).strip("-").replace("--", "-")
        text = json.dumps(made(starter).model_dump(mode="json"), separators=(",", ":"), sort_keys=True)
        (STARTERS / f"{name}.json").write_text(text + "\n")


if __name__ == "__main__":
    main()
