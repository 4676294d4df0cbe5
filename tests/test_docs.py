"""What the documents promise: settings, keys, commands, words and links are there and true."""

import json
import os
import re
import subprocess
import sys
from functools import partial
from pathlib import Path

import pytest
from pydantic import BaseModel

from nuvett.cli import app
from nuvett.core.look.look import Look
from nuvett.core.look.trim import Trim
from nuvett.core.reading.regions import Sampling
from nuvett.settings import Settings
from nuvett.web.glossary import GLOSSARY
from nuvett.web.keys import KEYS
from tests.conftest import PROJECT

DOCS = PROJECT / "docs"
TEMPLATES = PROJECT / "nuvett" / "web" / "templates"


def test_every_setting_is_documented_with_its_own_words() -> None:
    text = (DOCS / "settings.md").read_text()
    for name, field in Settings.model_fields.items():
        assert f"`NUVETT_{name.upper()}`" in text
        assert (field.description or "").rstrip(".") in text


def test_every_key_is_documented_and_has_a_control() -> None:
    text = (DOCS / "using.md").read_text()
    pages = "".join(p.read_text() for p in TEMPLATES.rglob("*.html"))
    scripts = "".join(p.read_text() for p in (PROJECT / "nuvett" / "web" / "static").glob("*.js"))
    for keys in KEYS.values():
        for key in keys:
            assert f"| `{key.key}` | {key.words} |" in text
            assert f'data-key="{key.key}"' in pages or f'"{key.key}"' in scripts or "{{ key }}" in pages


def test_every_command_is_documented() -> None:
    text = (DOCS / "command-line.md").read_text()
    names = {command.callback.__name__ for command in app.registered_commands if command.callback}
    assert names == set(re.findall(r"^\| `([a-z]+)", text, re.M))


@pytest.mark.parametrize("kind", [Look, Trim, Sampling])
def test_the_published_schema_is_that_of_the_document(kind: type[BaseModel]) -> None:
    published = json.loads((DOCS / "schemas" / f"{kind.__name__.lower()}.schema.json").read_text())
    assert published == kind.model_json_schema()


def test_links_in_documents_lead_somewhere() -> None:
    for path in [PROJECT / "README.md", *DOCS.rglob("*.md")]:
        for target in re.findall(r"\]\(([^)#]+)\)", path.read_text()):
            assert (path.parent / target).exists(), f"{path.name} links to {target}"


def test_commands_in_the_readme_are_those_of_the_script() -> None:
    named = set(re.findall(r"\./run ([a-z]+)", (PROJECT / "README.md").read_text()))
    script = (PROJECT / "run").read_text()
    assert named == {"demo", "test", "start", "cli", "bench", "hard", "shots"}
    assert all(f"  {name}) " in script for name in named)
    shown = subprocess.run([PROJECT / "run"], capture_output=True, text=True, check=True)
    assert all(name in shown.stderr for name in named)
    wrong = subprocess.run([PROJECT / "run", "fly"], capture_output=True, check=False)
    assert wrong.returncode == 2


@pytest.mark.parametrize("word", ["Drift", "Pull", "Set-up", "Even light", "Hold", "Carry", "Proof", "Trim", "Target"])
def test_words_of_the_screens_are_in_the_glossary(word: str) -> None:
    pages = "".join(p.read_text() for p in TEMPLATES.rglob("*.html"))
    assert word.lower() in pages.lower() and word.lower() in GLOSSARY


def test_locks_and_sources_name_no_registry_and_no_machine() -> None:
    listed = subprocess.run(["git", "ls-files"], cwd=PROJECT, capture_output=True, text=True, check=True).stdout.split(
        "\n"
    )
    for name in listed:
        path = PROJECT / name
        if not name or not path.is_file() or path.suffix in (".jpg", ".png", ".woff2", ".icc"):
            continue
        text = path.read_text(encoding="utf-8", errors="replace")
        if "lock" in Path(name).name or Path(name).name == ".npmrc":
            assert "://" not in text, name


def test_the_style_sheet_is_what_its_sources_build(tmp_path: Path) -> None:
    # Node comes with the development packages, so that the machine needs none of its own.
    programs = f"{Path(sys.executable).parent}{os.pathsep}{os.environ['PATH']}"
    run = partial(subprocess.run, cwd=PROJECT, check=True, capture_output=True, env=os.environ | {"PATH": programs})
    if not (PROJECT / "node_modules" / "tailwindcss").exists():
        run(["npm", "ci", "--silent"])
    run(["node", "tools/build_front.mjs", str(tmp_path)])
    static = PROJECT / "nuvett" / "web" / "static"
    for built in (p for p in tmp_path.rglob("*") if p.is_file()):
        assert built.read_bytes() == (static / built.relative_to(tmp_path)).read_bytes(), built.name
