from __future__ import annotations

from typing import TYPE_CHECKING, Any, ClassVar, Literal

import numpy as np

from hailridge.core.scene.moment import Moment
from hailridge.core.state.particles import Rows
from hailridge.model import fields
from hailridge.model.attributes import BUILT_IN, Table
from hailridge.model.kind import Value
from hailridge.model.parts import Amount


class Fixed(Amount):
    """The same for every particle."""

    title: ClassVar[str] = "fixed"
    also: ClassVar[str] = "constant number same"
    rank: ClassVar[int] = 0
    sentence: ClassVar[str] = "{value}"
    help: ClassVar[str] = "The same value for every particle."

    kind: Literal["fixed"] = "fixed"
    value: Value = fields.value(0.0, label="Value")

    def give(self, moment: Moment, rows: Rows) -> Any:
        return np.asarray(self.value, np.float32)

    def extent(self, attributes: Table = BUILT_IN) -> tuple[float, float]:
        return extent_of(*self.all_values("value"))

    def width(self, attributes: Table = BUILT_IN) -> int:
        return width_of(self.value)


class Mixture(Amount):
    """What amounts share that mix a `low` and a `high` value."""

    if TYPE_CHECKING:
        low: Value
        high: Value

    def mixed(self, share: Any) -> Any:
        """`low` where the share (k,) is 0, `high` where it is 1, in between a mixture."""
        low, high = np.asarray(self.low, np.float32), np.asarray(self.high, np.float32)
        if self.width() == 1:
            return low + (high - low) * share
        # Component by component: NumPy is slow along an axis of three.
        low, high = np.broadcast_to(low, (3,)), np.broadcast_to(high, (3,))
        out = np.empty((len(share), 3), np.float32)
        for axis in range(3):
            out[:, axis] = low[axis] + (high[axis] - low[axis]) * share
        return out

    def extent(self, attributes: Table = BUILT_IN) -> tuple[float, float]:
        return extent_of(*self.all_values("low"), *self.all_values("high"))

    def width(self, attributes: Table = BUILT_IN) -> int:
        return max(width_of(self.low), width_of(self.high))


def extent_of(*values: Value) -> tuple[float, float]:
    """Smallest and largest number among values."""
    numbers = [number for value in values for number in (value if isinstance(value, list) else [value])]
    return min(numbers), max(numbers)


def width_of(value: Value) -> int:
    return 3 if isinstance(value, list) else 1
