"""Writes the ICC profiles that ship with the application from the primaries in nuvett.core.spaces.rgb."""

from pathlib import Path

from nuvett.core.spaces.rgb import SPACES
from nuvett.imaging.icc import build_profile

FOLDER = Path(__file__).resolve().parent.parent / "nuvett" / "imaging" / "profiles"

if __name__ == "__main__":
    for space in (name for name, one in SPACES.items() if not one.curve.stops):
        (FOLDER / f"{space.value}.icc").write_bytes(build_profile(space))
