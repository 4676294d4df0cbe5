"""What the documents promise: settings, keys, commands, words and links are there and true."""

import json
import os
import re
import subprocess
import sys
import tomllib
from functools import partial
from pathlib import Path

import pytest

from nuvett.cli import app
from nuvett.core.look.words import LOOK_VALUES
from nuvett.core.steps.registry import REGISTRY
from nuvett.settings import Settings
from nuvett.store import models
from nuvett.web.views.glossary import GLOSSARY
from nuvett.web.views.keys import KEYS
from tests.conftest import PROJECT
from tools.draw_tables import PAGE, drawn, page_with
from tools.list_words import words_page
from tools.schemas import PUBLISHED

DOCS = PROJECT / "docs"


def test_every_setting_is_documented_with_its_own_words() -> None:
    text = (DOCS / "settings.md").read_text()
    for name, field in Settings.model_fields.items():
        assert f"`NUVETT_{name.upper()}`" in text
        assert (field.description or "").rstrip(".") in text


def test_every_key_is_documented_and_no_other() -> None:
    text = (DOCS / "using.md").read_text()
    rows = set(re.findall(r"^\| ([a-z ]+) \| `(.)` \| (.+) \|$", text, re.M))
    wanted = {(screen, key.key, key.words) for screen, keys in KEYS.items() for key in keys}
    assert {(screen.replace(" ", ""), key, words) for screen, key, words in rows} == wanted


def test_every_command_is_documented() -> None:
    text = (DOCS / "command-line.md").read_text()
    names = {command.callback.__name__ for command in app.registered_commands if command.callback}
    assert names == set(re.findall(r"^\| `([a-z]+)", text, re.M))


@pytest.mark.parametrize("name", PUBLISHED)
def test_the_published_schema_is_that_of_the_document(name: str) -> None:
    published = json.loads((DOCS / "schemas" / f"{name}.schema.json").read_text())
    assert published == PUBLISHED[name].model_json_schema()


def test_every_package_has_its_licence_and_its_reason() -> None:
    text = (DOCS / "packages.md").read_text()
    rows = re.findall(r"^\| ([a-z0-9, -]+) \| [^|]*\w[^|]* \| [^|]*\w[^|]* \|$", text, re.M)
    named = {name for names in rows for name in names.split(", ")}
    project = tomllib.loads((PROJECT / "pyproject.toml").read_text())
    asked = [*project["project"]["dependencies"], *project["project"]["optional-dependencies"]["s3"]]
    asked += project["build-system"]["requires"]
    assert named - {"package"} == {re.split(r"[~\[<>=]", line)[0] for line in asked}


def test_locks_hold_all_that_is_asked_for_and_nothing_that_only_builds() -> None:
    project = tomllib.loads((PROJECT / "pyproject.toml").read_text())
    extras = project["project"]["optional-dependencies"]
    asked = {
        "runtime": [*project["project"]["dependencies"], *extras["s3"]],
        "dev": [*project["project"]["dependencies"], *extras["s3"], *extras["dev"]],
        "build": project["build-system"]["requires"],
    }
    for name, wanted in asked.items():
        lock = (PROJECT / "requirements" / f"{name}.lock").read_text()
        held = set(re.findall(r"^([\w.-]+)(?:\[[^\]]*\])?==", lock.lower(), re.M))
        assert {re.split(r"[~\[<>=]", line)[0].lower() for line in wanted} <= held, name
    assert not {"cython", "setuptools"} & set(
        re.findall(r"^([\w-]+)==", (PROJECT / "requirements" / "runtime.lock").read_text(), re.M)
    )


def test_the_drawing_of_the_tables_is_of_these_tables() -> None:
    text = PAGE.read_text()
    assert text == page_with(drawn())
    assert all(re.search(rf"\b{table.name}\b", drawn()) for table in models.Base.metadata.sorted_tables)


def test_the_page_of_all_words_is_of_these_words() -> None:
    """When this fails: `python -m tools.list_words`, and read what has changed."""
    assert (DOCS / "words.md").read_text() == words_page()


def test_links_in_documents_lead_somewhere() -> None:
    for path in [*PROJECT.glob("*.md"), *DOCS.rglob("*.md")]:
        for target in re.findall(r"\]\(([^)#]+)\)", path.read_text()):
            assert (path.parent / target).exists(), f"{path.name} links to {target}"


def test_commands_in_the_readme_are_those_of_the_script() -> None:
    named = set(re.findall(r"\./run ([a-z]+)", (PROJECT / "README.md").read_text()))
    script = (PROJECT / "run").read_text()
    assert named == {"demo", "test", "start", "cli", "camera", "bench", "hard", "shots", "sql"}
    assert all(f"  {name}) " in script for name in named)
    shown = subprocess.run([PROJECT / "run"], capture_output=True, text=True, check=True)
    assert all(name in shown.stderr for name in named)
    wrong = subprocess.run([PROJECT / "run", "fly"], capture_output=True, check=False)
    assert wrong.returncode == 2


def test_words_of_steps_and_screens_are_in_the_glossary() -> None:
    words = {part.lower() for kind in REGISTRY for part in kind.title.split(" and ")}
    words |= {"drift", "pull", "set-up", "carry", "proof", "trim", "target", "idle", "vignette", "grain", "haze", "δe"}
    known = {word.lower() for word in GLOSSARY}
    missing = {word for word in words if word not in known and word.removesuffix("s") not in known}
    assert not missing
    units = {words.unit for words in LOOK_VALUES.values()} - {"%", "°", "times", "", "% of a stop"}
    said = " ".join(GLOSSARY.values()) + " ".join(GLOSSARY)
    assert {unit for unit in units if unit.lower() not in said.lower()} == set()


def test_no_two_words_of_the_glossary_say_the_same_and_each_is_a_sentence() -> None:
    assert len(set(GLOSSARY.values())) == len(GLOSSARY)
    assert all(words.endswith(".") and len(words) > 20 for words in GLOSSARY.values())


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
