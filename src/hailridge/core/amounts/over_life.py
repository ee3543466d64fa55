from __future__ import annotations

from typing import Any, ClassVar, Literal

import numpy as np

from hailridge.core.amounts.fixed import extent_of, width_of
from hailridge.core.moment import Moment
from hailridge.core.particles import Rows
from hailridge.model import fields
from hailridge.model.kind import Value
from hailridge.model.parts import Amount


class OverLife(Amount):
    """Three values: at birth, at some part of life, at the end."""

    title: ClassVar[str] = "over its life"
    sentence: ClassVar[str] = "{birth}, then {middle}, then {end} over its life"
    help: ClassVar[str] = "One value at birth, one at a chosen part of life, one at the end, evenly between them. Colours mix."

    kind: Literal["over_life"] = "over_life"
    birth: Value = fields.value(0.0, label="At birth")
    middle: Value = fields.value(1.0, label="Then")
    at: float = fields.number(0.5, low=0.001, high=0.999, soft=(0.01, 0.99), label="At this part of life")
    end: Value = fields.value(0.0, label="At the end")

    def give(self, moment: Moment, rows: Rows) -> Any:
        age = np.clip(moment.column("age")[rows] / np.maximum(moment.column("lifetime")[rows], np.float32(1e-9)), 0, 1)
        ends = [np.asarray(value, np.float32) for value in (self.birth, self.middle, self.end)]
        if self.width() == 1:
            return np.interp(age, [0, self.at, 1], ends).astype(np.float32)
        wide = [np.broadcast_to(value, (3,)) for value in ends]
        return np.stack([np.interp(age, [0, self.at, 1], [value[k] for value in wide]) for k in range(3)], axis=1).astype(np.float32)

    def extent(self) -> tuple[float, float]:
        return extent_of(self.birth, self.middle, self.end)

    def width(self) -> int:
        return max(width_of(value) for value in (self.birth, self.middle, self.end))
