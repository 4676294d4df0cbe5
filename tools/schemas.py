"""`python -m tools.schemas`: writes the published JSON Schemas of looks, trims and lookbooks anew."""

import json
from pathlib import Path

from nuvett.core.book.files import BookFile, LookFile
from nuvett.core.look.look import Look
from nuvett.core.look.trim import Trim

FOLDER = Path(__file__).resolve().parent.parent / "docs" / "schemas"


def main() -> None:
    """Write them."""
    for name, kind in (("look", Look), ("trim", Trim), ("kept-look", LookFile), ("lookbook", BookFile)):
        text = json.dumps(kind.model_json_schema(), indent=2)
        (FOLDER / f"{name}.schema.json").write_text(f"{text}\n")


if __name__ == "__main__":
    main()
