"""Tables that print themselves as text and as JSON."""

from dataclasses import dataclass, field
from typing import Any


@dataclass
class Table:
    """A titled table; the first column names the row."""

    title: str
    columns: tuple[str, ...]
    rows: list[tuple[Any, ...]] = field(default_factory=list)

    def add(self, *values: Any) -> None:
        """Add a row."""
        self.rows.append(values)

    def text(self) -> str:
        """The table in Markdown."""
        lines = [f"### {self.title}", "", f"| {' | '.join(self.columns)} |", "|" + "---|" * len(self.columns)]
        lines += [f"| {' | '.join(str(v) for v in row)} |" for row in self.rows]
        return "\n".join(lines) + "\n"

    def data(self) -> dict[str, Any]:
        """The table as plain data."""
        return {"title": self.title, "columns": list(self.columns), "rows": [list(row) for row in self.rows]}
