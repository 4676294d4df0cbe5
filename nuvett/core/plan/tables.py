"""A lookup table that was brought in, as an operation."""

from typing import Literal

import numpy as np

from nuvett.core.plan.operation import ColourOperation
from nuvett.core.spaces.oklab import linear_to_oklab, oklab_to_linear
from nuvett.core.spaces.rgb import Space
from nuvett.core.table.expects import Expects, asked_of, encoded_for, linear_from
from nuvett.core.table.held import HeldTable
from nuvett.core.types import OKLab

_NOTICEABLE = 1e-4  # OKLab
_MIN_CHROMA = 1e-3


class TableOperation(ColourOperation):
    """Colours through a table, in the encoding that it expects. Raises TableError while its colours are not at hand.

    A table knows no colour outside its encoding. Such a colour goes through it as the nearest one inside, and keeps
    what it had beyond that: chroma as far as the table kept the inner one's, so that a table that changes nothing
    changes nothing there either, and one that takes colour away takes it from these, too.
    """

    kind: Literal["table"] = "table"
    table: HeldTable
    expects: Expects = "srgb"

    def whole(self, lab: OKLab, came: OKLab, space: Space) -> OKLab:
        asked = encoded_for(oklab_to_linear(lab), self.expects)
        made = linear_to_oklab(linear_from(self.table.looked_up(asked), self.expects))
        inside = linear_to_oklab(asked_of(asked, self.expects))
        beyond = lab - inside
        out = np.abs(beyond).max(axis=-1) > _NOTICEABLE
        if not out.any():
            return made
        before, after = (np.hypot(one[out, 1], one[out, 2]) for one in (inside, made))
        kept = np.minimum(1, after / np.maximum(before, _MIN_CHROMA))[:, None]
        made[out] += beyond[out] * np.concatenate([np.ones_like(kept), kept, kept], axis=1)
        return made
