"""Draws the tables and what points to what as a Mermaid diagram in docs/data.md: `python -m tools.draw_tables`."""

from pathlib import Path

from sqlalchemy import Table

from nuvett.store import models

PAGE = Path(__file__).resolve().parent.parent / "docs" / "data.md"
BEGINS, ENDS = "<!-- tables -->\n", "<!-- end -->\n"


def drawn() -> str:
    """The diagram: each table with what points out of it; columns are said in the models."""
    tables = models.Base.metadata.sorted_tables
    lines = [line for table in tables for line in _arrows(table)]
    alone = [f"  {table.name}" for table in tables if not any(table.name in line.split() for line in lines)]
    return "```mermaid\nerDiagram\n" + "\n".join([*sorted(lines), *alone]) + "\n```\n"


def _arrows(table: Table) -> list[str]:
    return [
        f"  {key.column.table.name} |{'o' if key.parent.nullable else '|'}--o{'|' if key.parent.unique else '{'} "
        f'{table.name} : "{key.parent.name}"'
        for key in table.foreign_keys
    ]


def page_with(diagram: str) -> str:
    """The page with a diagram in its place."""
    before, rest = PAGE.read_text().split(BEGINS)
    return before + BEGINS + diagram + ENDS + rest.split(ENDS)[1]


if __name__ == "__main__":
    PAGE.write_text(page_with(drawn()))
