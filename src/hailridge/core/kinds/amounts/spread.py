from __future__ import annotations

from typing import Any, ClassVar, Literal

import numpy as np

from hailridge.core.kinds.amounts.fixed import extent_of, width_of
from hailridge.core.scene.moment import Moment
from hailridge.core.state.particles import Rows
from hailridge.model import fields
from hailridge.model.attributes import BUILT_IN, Table
from hailridge.model.effect import ItemSeed
from hailridge.model.kind import Value
from hailridge.model.parts import Amount


class Spread(Amount):
    """A value ± a spread, decided once per particle."""

    title: ClassVar[str] = "± spread"
    also: ClassVar[str] = "random vary between"
    rank: ClassVar[int] = 1
    sentence: ClassVar[str] = "{value} ± {spread}"
    help: ClassVar[str] = (
        "Each particle gets its own value, from *value − spread* to *value + spread*, and keeps it. Even: all values equally likely. "
        "Bell: most near the middle; the spread is twice the standard deviation, and rarer values are held at its ends."
    )

    kind: Literal["spread"] = "spread"
    value: Value = fields.value(1.0, label="Value")
    spread: float = fields.number(0.2, low=0, label="Spread")
    shape: Literal["even", "bell"] = fields.choice("even", {"even": "even", "bell": "bell"}, label="Shape")
    seed: ItemSeed = fields.number(0, low=0, high=2**31 - 1, whole=True, label="Seed")

    def give(self, moment: Moment, rows: Rows) -> Any:
        if self.shape == "bell":
            offset = np.clip(moment.normals(rows, self.item)[:, 0] * np.float32(0.5), -1, 1) * np.float32(self.spread)
        else:
            offset = moment.deviates(rows, self.item, self.spread)
        middle = np.asarray(self.value, np.float32)
        return middle + (offset[:, None] if self.width() == 3 else offset)

    def extent(self, attributes: Table = BUILT_IN) -> tuple[float, float]:
        low, high = extent_of(*self.all_values("value"))
        spread = extent_of(*self.all_values("spread"))[1]
        # Colours are held within their limits instead of refused: a light tint with a spread is no mistake.
        return (low, high) if self.width() == 3 else (low - spread, high + spread)

    def width(self, attributes: Table = BUILT_IN) -> int:
        return width_of(self.value)
