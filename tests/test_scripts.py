"""The scripts of the pages: their own tests, their types, and what a linter says of them."""

import os
import subprocess
import sys
from pathlib import Path

import pytest

from tests.conftest import PROJECT

# Node comes with the development packages, so that the machine needs none of its own.
PROGRAMS = os.environ | {"PATH": f"{Path(sys.executable).parent}{os.pathsep}{os.environ['PATH']}"}


def run(*command: str) -> subprocess.CompletedProcess[str]:
    return subprocess.run(command, cwd=PROJECT, env=PROGRAMS, capture_output=True, text=True, check=False)


@pytest.fixture(scope="module", autouse=True)
def packages() -> None:
    if not (PROJECT / "node_modules" / "eslint").exists():
        assert run("npm", "ci", "--silent").returncode == 0


def test_what_scripts_work_out_is_right() -> None:
    done = run("node", "--test", *map(str, sorted((PROJECT / "tests" / "scripts").glob("*.test.mjs"))))
    assert done.returncode == 0 and "# pass 0" not in done.stdout, done.stdout


def test_scripts_are_clean_and_typed() -> None:
    for tool in (("eslint", "."), ("typescript", "-p", "jsconfig.json"), ("typescript", "-p", "jsconfig.strict.json")):
        name = {"eslint": "eslint/bin/eslint.js", "typescript": "typescript/bin/tsc"}[tool[0]]
        done = run("node", f"node_modules/{name}", *tool[1:])
        assert done.returncode == 0, done.stdout + done.stderr
