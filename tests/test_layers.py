"""The shape of the code, read from its syntax trees: who may import whom, and how long things may be."""

import ast
from pathlib import Path

import pytest

PROJECT = Path(__file__).resolve().parent.parent
PACKAGE = PROJECT / "nuvett"
ALLOWED: dict[str, set[str]] = {
    "core": {"core"},
    "imaging": {"core", "imaging"},
    "store": {"core", "store"},
    "settings": set(),
    "logs": set(),
    "services": {"core", "imaging", "store", "services", "settings"},
    "jobs": {"core", "services", "settings", "logs", "jobs"},
    "web": {"core", "services", "settings", "logs", "web"},
    "cli": {"core", "imaging", "services", "commands"},
    "commands": {"core", "imaging", "services", "settings", "commands"},
}
# Packages and modules of the core from the ground up: each may use itself and those before it.
CORE = (
    ("types", "errors", "fields", "evenly", "quick", "tabled", "lanes", "smooth", "guided", "near", "skin"),
    ("geometry",),
    ("spaces",),
    ("measure",),
    ("registration",),
    ("even",),
    ("drift",),
    ("reading",),
    ("fit",),
    ("area",),
    ("table",),
    ("plan",),
    ("spatial",),
    ("drawing",),
    ("output",),
    ("steps",),
    ("look",),
    ("planning",),
    ("thread",),
    ("book",),
)
# Rooms of the services, likewise: each may use itself and those before it.
SERVICES = (
    *("caching", "files", "engine", "platform", "entry", "series", "references", "looks", "threads"),
    *("lookbook", "delivery", "shelf", "upkeep"),
)
MAX_IN_A_ROOM = 16
PURE_FORBIDDEN = {
    "os",
    "sys",
    "time",
    "random",
    "pathlib",
    "io",
    "subprocess",
    "logging",
    "socket",
    "sqlalchemy",
    "fastapi",
}
MODULES = sorted(p for p in PACKAGE.rglob("*.py") if p.name != "__init__.py" or p.read_text().count("\n") > 3)


def layer_of(path: Path) -> str:
    part = path.relative_to(PACKAGE).parts[0]
    return part.removesuffix(".py")


def imports_of(tree: ast.AST) -> set[str]:
    found: set[str] = set()
    for node in ast.walk(tree):
        if isinstance(node, ast.Import):
            found.update(alias.name for alias in node.names)
        elif isinstance(node, ast.ImportFrom):
            assert node.level == 0, "imports are absolute"
            found.add(node.module or "")
            found.update(f"{node.module}.{alias.name}" for alias in node.names)
    return found


@pytest.mark.parametrize("path", MODULES, ids=lambda p: str(p.relative_to(PACKAGE)))
def test_imports_go_one_way(path: Path) -> None:
    layer = layer_of(path)
    imported = imports_of(ast.parse(path.read_text()))
    ours = {name.split(".")[1] for name in imported if name.startswith("nuvett.")}
    assert ours <= ALLOWED[layer], f"{layer} may not import {ours - ALLOWED[layer]}"
    if layer == "core":
        assert not {name.split(".")[0] for name in imported} & PURE_FORBIDDEN


@pytest.mark.parametrize(("layer", "order"), [("core", CORE), ("services", tuple((room,) for room in SERVICES))])
def test_packages_of_a_layer_import_one_way_only(layer: str, order: tuple[tuple[str, ...], ...]) -> None:
    rank = {name: index for index, names in enumerate(order) for name in names}
    backwards = []
    for path in (PACKAGE / layer).rglob("*.py"):
        own = path.relative_to(PACKAGE / layer).parts[0].removesuffix(".py")
        for name in imports_of(ast.parse(path.read_text())):
            parts = name.split(".")
            if parts[:2] != ["nuvett", layer] or len(parts) < 3 or parts[2] == own:
                continue
            if rank[parts[2]] > rank[own] or (rank[parts[2]] == rank[own] and own not in order[0]):
                backwards.append(f"{own} -> {name}")
    assert not backwards


def test_every_room_of_the_services_is_known_and_not_crowded() -> None:
    rooms = {
        path.name: list(path.glob("[!_]*.py")) for path in (PACKAGE / "services").iterdir() if path.suffix != ".py"
    }
    rooms.pop("__pycache__", None)
    assert set(rooms) == set(SERVICES)
    assert not {room for room, modules in rooms.items() if len(modules) > MAX_IN_A_ROOM}


@pytest.mark.parametrize("path", MODULES, ids=lambda p: str(p.relative_to(PACKAGE)))
def test_modules_and_functions_stay_readable(path: Path) -> None:
    text = path.read_text()
    assert text.count("\n") <= 400
    tree = ast.parse(text)
    assert ast.get_docstring(tree), "every module says what it is for"
    for node in ast.walk(tree):
        if isinstance(node, ast.FunctionDef) and "migrations" not in path.parts:
            assert (node.end_lineno or 0) - node.lineno < 62, f"{node.name} is too long"


def test_no_two_classes_share_a_name_and_rows_are_told_from_what_they_hold() -> None:
    where: dict[str, list[Path]] = {}
    for path in MODULES:
        for node in ast.walk(ast.parse(path.read_text())):
            if isinstance(node, ast.ClassDef) and not node.name.startswith("_"):
                where.setdefault(node.name, []).append(path.relative_to(PACKAGE))
                is_row = any(isinstance(base, ast.Name) and base.id == "Base" for base in node.bases)
                assert not is_row or node.name.endswith("Row"), node.name
    assert not {name: paths for name, paths in where.items() if len(paths) > 1}


def test_routes_hold_no_array_work() -> None:
    for path in (PACKAGE / "web" / "routes").glob("*.py"):
        for node in ast.walk(ast.parse(path.read_text())):
            assert not isinstance(node, ast.AsyncFunctionDef), "a route on the event loop would block it"


def test_lines_of_templates_scripts_and_texts_stay_under_120_characters() -> None:
    web = PACKAGE / "web"
    texts = [
        *web.rglob("*.html"),
        *(path for path in web.glob("static/**/*.js") if "vendor" not in path.parts),
        PROJECT / "front" / "app.css",
    ]
    texts += [PROJECT / "README.md", *(PROJECT / "docs").rglob("*.md")]
    long = [
        f"{path.relative_to(PROJECT)}:{number}"
        for path in texts
        for number, line in enumerate(path.read_text().splitlines(), start=1)
        if len(line) > 120 and not line.startswith("|")
    ]
    assert not long
