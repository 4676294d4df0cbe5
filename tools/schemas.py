"""`python -m tools.schemas`: writes the published JSON Schemas of the documents anew."""

import json
from pathlib import Path

from pydantic import BaseModel

from nuvett.core.book.files import BookFile, LookFile
from nuvett.core.look.look import Look
from nuvett.core.look.trim import Trim
from nuvett.core.reading.regions import Sampling

FOLDER = Path(__file__).resolve().parent.parent / "docs" / "schemas"
PUBLISHED: dict[str, type[BaseModel]] = {
    "look": Look,
    "trim": Trim,
    "sampling": Sampling,
    "kept-look": LookFile,
    "lookbook": BookFile,
}


def main() -> None:
    """Write them."""
    for name, kind in PUBLISHED.items():
        text = json.dumps(kind.model_json_schema(), indent=2)
        (FOLDER / f"{name}.schema.json").write_text(f"{text}\n")


if __name__ == "__main__":
    main()
