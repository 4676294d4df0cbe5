"""A lookup table that was brought in."""

from typing import ClassVar, Self

from pydantic import Field

from nuvett.core.fields import choice, number
from nuvett.core.fit.parts import Part
from nuvett.core.plan.tables import TableOperation
from nuvett.core.steps.step import Ask, Step, part
from nuvett.core.table.expects import EXPECTS, Expects
from nuvett.core.table.held import HeldTable

MAX_NAME = 80


class TableStep(Step):
    """Colours through a lookup table that was brought in, in the encoding that it expects.

    table : by its content; called : what it is called, for people
    """

    name: ClassVar[str] = "table"
    title: ClassVar[str] = "Table"
    on: bool = False
    amount: float = number(100, 0, 100, "Table")
    part: Part = part()
    expects: Expects = choice("srgb", "expects", {str(name): words for name, words in EXPECTS.items()})
    table: HeldTable = HeldTable()
    called: str = Field(default="", max_length=MAX_NAME)

    @property
    def _does_nothing(self) -> bool:
        return self.amount == 0 or not self.table.digest

    @property
    def sentence(self) -> str:
        if not self.table.digest:
            return "none is chosen yet"
        # Braces in a name would be taken for those of a live value.
        plain = self.called.replace("{", "(").replace("}", ")") or "without a name"
        return f"{plain}, {{amount}} of it, {{part}}"

    @property
    def more(self) -> tuple[str, ...]:
        return ("It expects {expects}",)

    def resolve(self, ask: Ask) -> tuple[TableOperation, ...]:
        return (TableOperation(table=self.table, expects=self.expects, amount=self.amount / 100, part=self.part),)

    def changes(self, after: Self) -> list[str]:
        if self.table == after.table:
            return []
        return [f"Table: {after.called}" if after.table.digest else "No table"]
