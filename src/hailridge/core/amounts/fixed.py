from __future__ import annotations

from typing import Any, ClassVar, Literal

import numpy as np

from hailridge.core.moment import Moment
from hailridge.core.particles import Rows
from hailridge.model import fields
from hailridge.model.kind import Value
from hailridge.model.parts import Amount


class Fixed(Amount):
    """The same for every particle."""

    title: ClassVar[str] = "fixed"
    rank: ClassVar[int] = 0
    sentence: ClassVar[str] = "{value}"
    help: ClassVar[str] = "The same value for every particle."

    kind: Literal["fixed"] = "fixed"
    value: Value = fields.value(0.0, label="Value")

    def give(self, moment: Moment, rows: Rows) -> Any:
        return np.asarray(self.value, np.float32)

    def extent(self) -> tuple[float, float]:
        return extent_of(*self.all_values("value"))

    def width(self) -> int:
        return width_of(self.value)


def extent_of(*values: Value) -> tuple[float, float]:
    """Smallest and largest number among values."""
    numbers = [number for value in values for number in (value if isinstance(value, list) else [value])]
    return min(numbers), max(numbers)


def width_of(value: Value) -> int:
    return 3 if isinstance(value, list) else 1
