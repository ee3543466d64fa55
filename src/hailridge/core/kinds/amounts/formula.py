from __future__ import annotations

import math
from typing import Any, ClassVar, Literal

from hailridge.core.kinds.written import HELP, Written
from hailridge.core.scene.moment import Moment
from hailridge.core.scene.unbounded import Unbounded
from hailridge.core.state.particles import Rows
from hailridge.model import fields
from hailridge.model.attributes import BUILT_IN, Table


class FormulaAmount(Written, Unbounded):
    """What a formula gives: one number or three, as the place takes them."""

    title: ClassVar[str] = "a formula"
    also: ClassVar[str] = "expression write calculate mathematics"
    rank: ClassVar[int] = 14
    sentence: ClassVar[str] = "{text}"
    help: ClassVar[str] = (
        "A formula of your own about the particle gives the value: attributes by name, every other quantity as a call, in the unit of the place "
        "where it stands. It is held within what is possible there. For whom it is no finite number nothing is written, and that is told."
    )

    kind: Literal["formula"] = "formula"
    text: str = fields.formula("0.5 + 0.5 * sin(time + id)", lookups={}, label="Formula", help=HELP)

    def give(self, moment: Moment, rows: Rows) -> Any:
        return self.held(self.given(moment, rows))

    def extent(self, attributes: Table = BUILT_IN) -> tuple[float, float]:
        return -math.inf, math.inf

    def width(self, attributes: Table = BUILT_IN) -> int:
        # One that cannot be read fits everywhere: it has a fault of its own.
        return 0 if self._formula is None else 3 if getattr(self._formula, "type", "") == "vector" else 1
