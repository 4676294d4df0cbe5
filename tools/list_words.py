"""`python -m tools.list_words`: writes all words that people read, by where they stand, to docs/words.md."""

import ast
import re
import textwrap
from collections.abc import Iterator
from html.parser import HTMLParser
from pathlib import Path

PROJECT = Path(__file__).resolve().parent.parent
PAGE = PROJECT / "docs" / "words.md"
_PACKAGE = PROJECT / "nuvett"
_READ_OUT = ("aria-label", "placeholder", "title", "alt")
_TAG = re.compile(r"{%.*?%}|{#.*?#}", re.S)
_VALUE = re.compile(r"{{.*?}}", re.S)
_STRING = re.compile(r'"((?:[^"\\\n]|\\.)*)"|`((?:[^`\\]|\\.)*)`')
_LITERAL = re.compile(r"\"([^\"]*)\"|'([^']*)'")
_SENTENCE = re.compile(r"[A-Za-z]{2,}[^\n]* [^\n]*[A-Za-z]{2,}|^[A-Z][a-z]{2,}$")
_NO_WORDS = re.compile(
    r"[<>;=\\]|^\w+/|^[a-z-]+: |SELECT|::|[a-z]_[a-z]|^-|\bpx\b|%Y|^[MA-Z]\$?\{|\.\w+\(|^\W*[a-z-]+\["
)
_HEAD = """# All words

Everything that people read in the application and on the command line, by the file that it stands in, for whoever
reads them all at once. Written by `python -m tools.list_words`; "…" stands for a value.
"""


class _Texts(HTMLParser):
    """Texts of a page, and what is read out of it."""

    def __init__(self) -> None:
        super().__init__()
        self.found: list[str] = []
        self._mute = 0

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self._mute += tag in ("script", "style")
        self.found += [value for name, value in attrs if name in _READ_OUT and value]

    def handle_endtag(self, tag: str) -> None:
        self._mute -= tag in ("script", "style")

    def handle_data(self, data: str) -> None:
        if not self._mute:
            self.found.append(data)


def _of_template(text: str) -> Iterator[str]:
    for value in _VALUE.findall(text):
        yield from (one or other for one, other in _LITERAL.findall(value) if " " in (one or other))
    page = _Texts()
    page.feed(_VALUE.sub("…", _TAG.sub(" ", text)))
    yield from page.found


def _of_python(text: str) -> Iterator[str]:
    tree = ast.parse(text)
    said = {
        id(node.value)
        for node in ast.walk(tree)
        if isinstance(node, ast.Expr) and isinstance(node.value, ast.Constant)  # docstrings
    }
    for node in ast.walk(tree):
        if isinstance(node, ast.JoinedStr):
            parts = [part.value if isinstance(part, ast.Constant) else "…" for part in node.values]
            said.update(id(part) for part in node.values)
            yield "".join(map(str, parts))
        elif isinstance(node, ast.Constant) and isinstance(node.value, str) and id(node) not in said:
            yield node.value


def _of_script(text: str) -> Iterator[str]:
    code = re.sub(r"^\s*(//|\*|/\*).*$", "", text, flags=re.M)
    for plain, mixed in _STRING.findall(code):
        yield re.sub(r"\$\{.*?\}", "…", plain or mixed)


def _readable(texts: Iterator[str]) -> list[str]:
    found: dict[str, None] = {}
    for text in texts:
        words = re.sub(r"\s+", " ", text).strip(" …,.:;()")
        if _SENTENCE.search(words) and not _NO_WORDS.search(words):
            found[re.sub(r"\s+", " ", text).strip()] = None
    return list(found)


def words_page() -> str:
    """The page as it should be."""
    kinds = (
        ("Screens", "web/templates", "*.html", _of_template),
        ("Scripts", "web/static", "*.js", _of_script),
        ("Computation, steps and areas", "core", "*.py", _of_python),
        ("Services", "services", "*.py", _of_python),
        ("Views and routes", "web", "*.py", _of_python),
        ("Files and pictures", "imaging", "*.py", _of_python),
        ("Command line", "commands", "*.py", _of_python),
        ("Command line, beginnings", ".", "cli.py", _of_python),
    )
    lines = [_HEAD]
    for title, folder, pattern, reader in kinds:
        lines.append(f"## {title}\n")
        paths = (_PACKAGE / folder).rglob(pattern) if folder != "." else (_PACKAGE / folder).glob(pattern)
        for path in sorted(paths):
            found = [] if "vendor" in path.parts else _readable(reader(path.read_text()))
            if found:
                lines.append(f"### {path.relative_to(_PACKAGE)}\n")
                lines += [
                    textwrap.fill(f"- {text}", 118, subsequent_indent="  ", break_long_words=False) for text in found
                ]
                lines.append("")
    return "\n".join(lines).rstrip() + "\n"


if __name__ == "__main__":
    PAGE.write_text(words_page())
