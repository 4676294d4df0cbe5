"""`python -m tools.schemas`: writes the published JSON Schemas of looks and trims anew."""

import json
from pathlib import Path

from nuvett.core.look.look import Look
from nuvett.core.look.trim import Trim

FOLDER = Path(__file__).resolve().parent.parent / "docs" / "schemas"


def main() -> None:
    """Write them."""
    for kind in (Look, Trim):
        text = json.dumps(kind.model_json_schema(), indent=2)
        (FOLDER / f"{kind.__name__.lower()}.schema.json").write_text(f"{text}\n")


if __name__ == "__main__":
    main()
