"""The code of docs/adding.md, as somebody who follows the page would write it to a file."""

import importlib.util
import re
import sys
from pathlib import Path
from types import ModuleType
from typing import Any

from tests.conftest import PROJECT


def code_under(heading: str) -> str:
    """The one piece of code below a heading of the page."""
    page = (PROJECT / "docs" / "adding.md").read_text()
    part = page.partition(f"\n## {heading}\n")[2].partition("\n## ")[0]
    (code,) = re.findall(r"```python\n(.*?)```", part, re.S)
    return str(code)


def imported(heading: str, folder: Path) -> ModuleType:
    """A module with the code below a heading, imported as any module is."""
    name = re.sub(r"\W+", "_", heading.lower())
    path = folder / f"{name}.py"
    path.write_text(code_under(heading))
    spec = importlib.util.spec_from_file_location(name, path)
    assert spec is not None and spec.loader is not None
    module = importlib.util.module_from_spec(spec)
    sys.modules[name] = module
    spec.loader.exec_module(module)
    return module


def beside(heading: str, *modules: ModuleType) -> dict[str, Any]:
    """What the code below a heading defines when it stands among what modules have."""
    names: dict[str, Any] = {}
    for module in modules:
        names |= vars(module)
    exec(code_under(heading), names)
    return names
