from __future__ import annotations

from typing import Any, ClassVar, Literal

import numpy as np

from hailridge.core.amounts.fixed import extent_of, width_of
from hailridge.core.moment import Moment
from hailridge.core.particles import Rows
from hailridge.model import fields
from hailridge.model.kind import Value
from hailridge.model.parts import Amount


class ByField(Amount):
    """A value that follows a field."""

    title: ClassVar[str] = "by a field"
    rank: ClassVar[int] = 12
    sentence: ClassVar[str] = "{low} outside {field} to {high} inside"
    help: ClassVar[str] = "Reads a field at the particle's place: the first value where it is 0, the second where it is 1, a mixture in between."

    kind: Literal["field"] = "field"
    field: str = fields.reference("field", label="Field")
    low: Value = fields.value(0.0, label="Outside")
    high: Value = fields.value(1.0, label="Inside")

    def give(self, moment: Moment, rows: Rows) -> Any:
        share = moment.field_of(self.field, rows)
        low, high = np.asarray(self.low, np.float32), np.asarray(self.high, np.float32)
        return low + (high - low) * (share[:, None] if self.width() == 3 else share)

    def extent(self) -> tuple[float, float]:
        return extent_of(*self.all_values("low"), *self.all_values("high"))

    def width(self) -> int:
        return max(width_of(self.low), width_of(self.high))
