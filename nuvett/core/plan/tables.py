"""A lookup table that was brought in, as an operation."""

from typing import Literal

from nuvett.core.plan.operation import ColourOperation
from nuvett.core.spaces.oklab import linear_to_oklab, oklab_to_linear
from nuvett.core.spaces.rgb import Space
from nuvett.core.table.expects import Expects, encoded_for, linear_from
from nuvett.core.table.held import HeldTable
from nuvett.core.types import OKLab


class TableOperation(ColourOperation):
    """Colours through a table, in the encoding that it expects. Raises TableError while its colours are not at hand."""

    kind: Literal["table"] = "table"
    table: HeldTable
    expects: Expects = "srgb"

    def whole(self, lab: OKLab, came: OKLab, space: Space) -> OKLab:
        asked = encoded_for(oklab_to_linear(lab), self.expects)
        return linear_to_oklab(linear_from(self.table.looked_up(asked), self.expects))
