"""Makes the fonts of contact sheets from those of the screens: static, of one weight each, as PDF wants them.

python -m tools.make_fonts          (needs fonttools and brotli)
"""

import tempfile
from pathlib import Path

from fontTools.merge import Merger
from fontTools.ttLib import TTFont
from fontTools.varLib.instancer import instantiateVariableFont

_PROJECT = Path(__file__).resolve().parent.parent
_FROM = _PROJECT / "nuvett" / "web" / "static" / "vendor"
_TO = _PROJECT / "nuvett" / "services" / "papers" / "fonts"
_WEIGHTS = {"regular": 400, "bold": 700}


def main() -> None:
    """Make both weights, each of both parts of the alphabet."""
    for name, weight in _WEIGHTS.items():
        with tempfile.TemporaryDirectory() as folder:
            parts = []
            for part in ("latin", "latin-ext"):
                font = TTFont(_FROM / f"schibsted-grotesk-{part}.woff2")
                font.flavor = None
                path = Path(folder) / f"{part}.ttf"
                instantiateVariableFont(font, {"wght": weight}).save(path)
                parts.append(str(path))
            Merger().merge(parts).save(_TO / f"schibsted-grotesk-{name}.ttf")


if __name__ == "__main__":
    main()
