"""Mutations: does a test fail when a sign is turned, a bound flipped, a guard or a lock left out?

`python -m tools.mutate` changes one place of the code at a time, in a copy, and runs the tests that should notice.
What no test noticed is printed; there should be none. `--of` says where: plans, steps, areas and geometry of the core,
or a room of the services, the store or the web. `--count` bounds how many places are tried, spread evenly; `--only
TEXT` tries those whose description holds a text.
"""

import argparse
import ast
import os
import re
import shutil
import subprocess
import sys
import tempfile
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from queue import SimpleQueue

PROJECT = Path(__file__).resolve().parent.parent
PACKAGE = PROJECT / "nuvett"
CORE = PACKAGE / "core"
FOLDERS = ("plan", "steps", "area", "geometry")
FILES = sorted(
    [path for name in FOLDERS for path in (CORE / name).glob("*.py")]
    + [CORE / "planning" / "planning.py", CORE / "drawing" / "layers.py", CORE / "look" / "common.py"]
)
_BACKGROUND = ("test_laws", "test_worker", "test_job")
_ROOMS: dict[str, tuple[str, tuple[str, ...]]] = {
    "platform": (
        "services/platform",
        (
            *_BACKGROUND,
            "test_queue",
            "test_installation",
            "test_backup",
            "test_checkup",
            "test_placing",
            "test_watching",
        ),
    ),
    "series": (
        "services/series",
        (
            *_BACKGROUND,
            "test_locks",
            "test_watching",
            "test_lighting",
            "test_companions",
            "test_filing",
            "test_arranging",
        ),
    ),
    "references": ("services/references", (*_BACKGROUND, "test_reads")),
    "looks": ("services/looks", (*_BACKGROUND, "test_locks", "test_carried", "test_by_setup", "test_book")),
    "threads": ("services/threads", ("test_locks", "test_threads", "web/test_thread_pages")),
    "lookbook": ("services/lookbook", ("test_book", "test_book_files", "test_job")),
    "delivery": (
        "services/delivery",
        ("test_laws", "test_deliveries", "test_placing", "test_file_names", "test_checkup"),
    ),
    "shelf": ("services/shelf", ("test_filing", "test_job", "test_laws")),
    "store": (
        "store",
        ("test_remembered", "test_database", "test_installation", "test_remote_blobs", "test_checkup", "test_backup"),
    ),
    "security": ("web/security", ("web/test_protocol", "web/test_signin", "web/test_route_laws", "web/test_http")),
    "routes": (
        "web/routes",
        (
            "web/test_route_laws",
            "web/test_http",
            "web/test_many",
            "web/test_trim",
            "web/test_lookbook",
            "web/test_thread_pages",
            "web/test_views",
        ),
    ),
}
"""Rooms outside the core: their folder, and the tests that should notice, quickest first."""

TESTS = (
    "tests/core/test_lens.py",
    "tests/imaging/test_lenses.py",
    "tests/core/test_areas.py",
    "tests/core/test_area_layers.py",
    "tests/core/test_geometry.py",
    "tests/core/test_common.py",
    "tests/core/test_step_laws.py",
    "tests/core/test_kept_renders.py",
    "tests/core/test_steps.py",
    "tests/core/test_drawn.py",
    "tests/core/test_handles.py",
    "tests/core/test_table.py",
    "tests/core/test_plan.py",
    "tests/core/test_fit.py",
    "tests/core/test_kept_looks.py",
)
_ARITHMETIC = {ast.Add: "-", ast.Sub: "+", ast.Mult: "/", ast.Div: "*"}
_COMPARED = {ast.Lt: ">=", ast.Gt: "<=", ast.LtE: ">", ast.GtE: "<", ast.Eq: "!=", ast.NotEq: "=="}
_SAME_EITHER_WAY = ("strict", "ignore_errors", "exist_ok", "parents")
"""Arguments that guard against what does not come about: a length that differs, a folder that is there."""
_WORDS = ("more", "sentence", "words", "changes", "changed", "title", "show")
_SAME = {
    "geometry/changes.py: levelled: angle + 45": "a quarter turn less is the same modulo a quarter turn",
    "geometry/proposals.py: propose: angle + 45": "a quarter turn less is the same modulo a quarter turn",
    "geometry/changes.py: drag_cut: 1 - width": "a cut is kept within the canvas once more where it is rounded",
    "geometry/changes.py: drag_cut: 1 - height": "a cut is kept within the canvas once more where it is rounded",
    "geometry/changes.py: _cut: 1 - width": "boxes lie within the canvas by then; this holds against rounding",
    "geometry/changes.py: _cut: 1 - height": "boxes lie within the canvas by then; this holds against rounding",
    "geometry/proposals.py: _lines: _EDGE / max(width, height)": "looking at more pixels is slower and says the same",
    "geometry/changes.py: mirrored: geometry.quarter + 2 * (geometry.quarter % 2)": (
        "half a turn is the same either way round"
    ),
    "geometry/geometry.py: _inside: middle "
    "+ np.array([[-1, -1], [1, -1], [-1, 1], [1, 1]]) * (width / 2, height / 2)": (
        "the four corners are the same the other way round"
    ),
    "area/brush.py: _laid: points[:, :2].min(axis=0) - radius - 1": "what lies beyond the radius weighs nothing",
    "area/brush.py: _cover: radius + 1": "what lies beyond the radius weighs nothing",
    "area/brush.py: _cover: np.ceil(np.maximum(start, end)[:2] + reach) + 1": (
        "what lies beyond the radius weighs nothing"
    ),
    "look/common.py: shared_by: value * sign": "a sign is its own inverse",
    "area/weights.py: extent: weighs > _MIN": "a larger extent is slower and draws the same",
    "area/weights.py: extent: (rows[-1] + 2) / height": "a larger extent is slower and draws the same",
    # Changes that make no difference, each with its reason.
    "plan/compile.py: compile_shaped: threads == 1": "any number of threads makes the same table",
    "plan/compile.py: compile_shaped: len(linear) < _WORTH_A_THREAD * threads": "any number makes the same table",
    "plan/compile.py: compile_shaped: _WORTH_A_THREAD * threads": "any number of threads makes the same table",
}
"""What is left out because it cannot be noticed, with the reason."""


@dataclass(frozen=True)
class Mutation:
    """One place changed: lines and columns as the syntax tree has them."""

    path: Path
    line: int
    start: int
    end: int
    text: str
    words: str

    def applied(self, source: str) -> str:
        """The source with it."""
        lines = source.split("\n")
        row = lines[self.line - 1].encode()
        lines[self.line - 1] = (row[: self.start] + self.text.encode() + row[self.end :]).decode()
        return "\n".join(lines)


def _named(path: Path) -> Path:
    return path.relative_to(CORE if path.is_relative_to(CORE) else PACKAGE)


class _Finder(ast.NodeVisitor):
    def __init__(self, path: Path, logic: bool = False) -> None:
        self.path, self.source, self.inside, self.logic = path, path.read_text(), [""], logic
        self.found: list[Mutation] = []

    def _add(self, node: ast.expr | ast.stmt, text: str) -> None:
        if node.lineno != node.end_lineno or node.end_col_offset is None:
            return
        was = ast.get_source_segment(self.source, node) or ""
        where = f"{_named(self.path)}: {'.'.join(self.inside[1:])}: {was}"
        if where not in _SAME:
            words = f"{_named(self.path)}:{node.lineno}: {was}  ->  {text}"
            self.found.append(Mutation(self.path, node.lineno, node.col_offset, node.end_col_offset, text, words))

    def _scope(self, node: ast.ClassDef | ast.FunctionDef) -> None:
        if isinstance(node, ast.FunctionDef) and node.name in _WORDS:
            return  # words are tried by tests of words
        self.inside.append(node.name)
        body = (
            node.body
            if isinstance(node, ast.FunctionDef)
            else [s for s in node.body if not isinstance(s, ast.AnnAssign)]
        )
        for child in body:
            self.visit(child)
        self.inside.pop()

    def visit_ClassDef(self, node: ast.ClassDef) -> None:
        self._scope(node)

    def visit_FunctionDef(self, node: ast.FunctionDef) -> None:
        self._scope(node)

    def visit_BinOp(self, node: ast.BinOp) -> None:
        if type(node.op) in _ARITHMETIC and len(self.inside) > 1:
            left, right = (ast.get_source_segment(self.source, side) or "" for side in (node.left, node.right))
            self._add(node, f"(({left}) {_ARITHMETIC[type(node.op)]} ({right}))")
        self.generic_visit(node)

    def visit_Compare(self, node: ast.Compare) -> None:
        if len(node.ops) == 1 and type(node.ops[0]) in _COMPARED and len(self.inside) > 1:
            sides = (ast.get_source_segment(self.source, side) or "" for side in (node.left, node.comparators[0]))
            left, right = sides
            self._add(node, f"(({left}) {_COMPARED[type(node.ops[0])]} ({right}))")
        self.generic_visit(node)

    def visit_UnaryOp(self, node: ast.UnaryOp) -> None:
        if isinstance(node.op, ast.USub | ast.Not) and len(self.inside) > 1:
            self._add(node, f"({ast.get_source_segment(self.source, node.operand)})")
        self.generic_visit(node)

    def visit_If(self, node: ast.If) -> None:
        """A guard that leaves: it never does."""
        if self.logic and len(self.inside) > 1 and isinstance(node.body[-1], ast.Return | ast.Raise | ast.Continue):
            self._add(node.test, "False")
        self.generic_visit(node)

    def visit_BoolOp(self, node: ast.BoolOp) -> None:
        if self.logic and len(self.inside) > 1:
            word = " or " if isinstance(node.op, ast.And) else " and "
            self._add(node, word.join(f"({ast.get_source_segment(self.source, value)})" for value in node.values))
        self.generic_visit(node)

    def visit_Constant(self, node: ast.Constant) -> None:
        if self.logic and len(self.inside) > 1 and isinstance(node.value, bool):
            self._add(node, str(not node.value))

    def visit_keyword(self, node: ast.keyword) -> None:
        """A lock that is asked for with a row: the row comes without."""
        if self.logic and node.arg == "with_for_update" and isinstance(node.value, ast.Constant):
            self._add(node.value, "False")
        elif node.arg not in _SAME_EITHER_WAY:
            self.generic_visit(node)

    def visit_Expr(self, node: ast.Expr) -> None:
        if isinstance(node.value, ast.Call):
            self._add(node, "pass")
        self.generic_visit(node)


def mutations(of: str = "core") -> list[Mutation]:
    """Every place that can be changed, file by file."""
    found = []
    files = FILES if of == "core" else sorted((PACKAGE / _ROOMS[of][0]).glob("*.py"))
    for path in files:
        if path.name == "earlier.py":
            continue
        finder = _Finder(path, logic=of != "core")
        finder.visit(ast.parse(finder.source))
        found += finder.found
    return found


def tests_of(of: str, path: Path | None = None) -> list[str]:
    """Tests that should notice, as far as there are such; first those that import a module outside the core."""
    named = list(TESTS) if of == "core" else [_test_file(name) for name in _ROOMS[of][1]]
    near = [] if of == "core" or path is None else _importing(path)
    return list(dict.fromkeys(test for test in [*near, *named] if (PROJECT / test).exists()))


def _importing(path: Path) -> list[str]:
    """Tests without a browser that import a module, the shortest first."""
    room, module = ".".join(path.parent.relative_to(PROJECT).parts), path.stem
    asked = re.compile(rf"{re.escape(room)}(\.{module}\b| import [^\n]*\b{module}\b)")
    files = [*(PROJECT / "tests" / "services").glob("test_*.py"), *(PROJECT / "tests" / "web").glob("test_*.py")]
    found = [file for file in files if "browser" not in file.stem and asked.search(file.read_text())]
    return [str(file.relative_to(PROJECT)) for file in sorted(found, key=lambda file: file.stat().st_size)]


def _test_file(name: str) -> str:
    return f"tests/{name if '/' in name else f'services/{name}'}.py"


def _copy(folder: Path) -> Path:
    for name in ("nuvett", "tests", "tools", "docs"):
        shutil.copytree(PROJECT / name, folder / name, ignore=shutil.ignore_patterns("__pycache__", "screenshots"))
    (folder / "demo").symlink_to(PROJECT / "demo")
    shutil.copy(PROJECT / "pyproject.toml", folder)
    return folder


def survives(mutation: Mutation, copy: Path, tests: list[str]) -> bool:
    """Whether no test notices a mutation, tried in a copy of the project."""
    target = copy / mutation.path.relative_to(PROJECT)
    source = mutation.path.read_text()
    target.write_text(mutation.applied(source))
    try:
        command = [sys.executable, "-m", "pytest", "-q", "-x", "--no-header", *tests]
        environment = os.environ | {"OPENBLAS_NUM_THREADS": "1", "PYTHONDONTWRITEBYTECODE": "1"}
        try:
            done = subprocess.run(command, cwd=copy, env=environment, capture_output=True, timeout=600, check=False)
        except subprocess.TimeoutExpired:
            return False  # it hangs, which is noticed
        return done.returncode == 0
    finally:
        target.write_text(source)


def main() -> None:
    """Try them and print what survived."""
    parser = argparse.ArgumentParser(prog="python -m tools.mutate", description=__doc__)
    parser.add_argument("--count", type=int, default=60)
    parser.add_argument("--only", default="")
    parser.add_argument("--of", default="core", choices=["core", *_ROOMS])
    asked = parser.parse_args()
    every = [m for m in mutations(asked.of) if asked.only in m.words]
    step = max(1, len(every) // asked.count)
    chosen = every[step // 2 :: step][: asked.count]
    print(f"{len(chosen)} of {len(every)} places", flush=True)
    with tempfile.TemporaryDirectory() as name:
        copies: SimpleQueue[Path] = SimpleQueue()
        workers = os.cpu_count() or 1
        for n in range(workers):
            copies.put(_copy(Path(name) / str(n)))

        def work(mutation: Mutation) -> bool:
            copy = copies.get()
            try:
                alive = survives(mutation, copy, tests_of(asked.of, mutation.path))
            finally:
                copies.put(copy)
            if alive:
                print(mutation.words, flush=True)
            return alive

        with ThreadPoolExecutor(workers) as pool:
            survived = sum(pool.map(work, chosen))
    print(f"{survived} of {len(chosen)} survived")
    sys.exit(1 if survived else 0)


if __name__ == "__main__":
    main()
