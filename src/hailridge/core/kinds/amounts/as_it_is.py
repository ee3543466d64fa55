from __future__ import annotations

import math
from typing import Any, ClassVar, Literal

import numpy as np

from hailridge.core.kinds.written import FURTHEST
from hailridge.core.scene.moment import Moment
from hailridge.core.scene.unbounded import Unbounded
from hailridge.core.state.particles import Rows
from hailridge.model import fields
from hailridge.model.attributes import BUILT_IN, Table
from hailridge.model.parts import Quantity


class AsItIs(Unbounded):
    """The value of a quantity itself, in its own unit."""

    title: ClassVar[str] = "a quantity as it is"
    also: ClassVar[str] = "copy follow equal"
    rank: ClassVar[int] = 3
    sentence: ClassVar[str] = "{quantity}[ × {factor}][ + {added}]"
    help: ClassVar[str] = (
        "The quantity itself, in its own unit, times a factor and with something added if wished: a radius as large as its height, a lifetime of "
        "twice its age. It is held within what is possible where it stands. To turn one range into another, use *mapped*."
    )
    single: ClassVar[bool] = True

    kind: Literal["as_it_is"] = "as_it_is"
    quantity: Quantity = fields.slot("quantity", {"kind": "speed"}, label="Quantity")
    factor: float = fields.number(1.0, low=-1e6, high=1e6, soft=(0, 2), label="Times")
    added: float = fields.number(0.0, low=-1e9, high=1e9, soft=(-1, 1), label="Plus")

    def give(self, moment: Moment, rows: Rows) -> Any:
        read = np.asarray(self.quantity.read(moment, rows), np.float32)
        spoilt = ~(np.abs(read) < FURTHEST)
        if spoilt.any():
            moment.leave_out(rows, spoilt, self.address)
            read = np.where(spoilt, np.float32(0), read)
        return self.held(read * np.float32(self.factor) + np.float32(self.added))

    def extent(self, attributes: Table = BUILT_IN) -> tuple[float, float]:
        low = -math.inf if self.quantity.low is None else self.quantity.low
        high = math.inf if self.quantity.high is None else self.quantity.high
        ends = [
            (bound * factor if factor else 0.0) + added
            for bound in (low, high) for factor in self.all_values("factor") for added in self.all_values("added")
        ]  # fmt: skip
        return min(ends), max(ends)

    def width(self, attributes: Table = BUILT_IN) -> int:
        return 1
