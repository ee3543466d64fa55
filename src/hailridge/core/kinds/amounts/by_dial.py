from __future__ import annotations

from collections.abc import Iterator
from typing import Any, ClassVar, Literal

import numpy as np
from pydantic import PrivateAttr

from hailridge.core.kinds.amounts.fixed import extent_of, width_of
from hailridge.core.scene.moment import Moment
from hailridge.core.state.particles import Rows
from hailridge.model import fields
from hailridge.model.attributes import BUILT_IN, Table
from hailridge.model.dials import Dial
from hailridge.model.parts import Amount


class ByDial(Amount):
    """A value set elsewhere, by name."""

    title: ClassVar[str] = "a dial"
    also: ClassVar[str] = "shared control"
    rank: ClassVar[int] = 13
    sentence: ClassVar[str] = "{dial}[ × {factor}]"
    help: ClassVar[str] = "Takes its value from a dial of the effect, so that many places are set in one; a factor of its own can be put on it."

    kind: Literal["dial"] = "dial"
    dial: str = fields.reference("dial", label="Dial")
    factor: float = fields.number(1.0, low=-1e6, high=1e6, soft=(0, 2), label="Times")
    _found: Dial | None = PrivateAttr(default=None)

    def find(self, effect: Any) -> None:
        self._found = next((dial for dial in effect.dials if dial.id == self.dial), None)

    def faults(self, effect: Any) -> Iterator[tuple[str, str]]:
        if self._found is not None and self._found.type == "shape":
            yield "dial", f"'{self._found.label}' is a shape, not a value; name it where a shape is named"

    def give(self, moment: Moment, rows: Rows) -> Any:
        return np.asarray(moment.scene.dials[self.dial].given, np.float32) * np.float32(self.factor)

    def extent(self, attributes: Table = BUILT_IN) -> tuple[float, float]:
        if self._found is None:
            return (0.0, 0.0)
        low, high = extent_of(*self._found.range())
        ends = [bound * factor for bound in (low, high) for factor in self.all_values("factor")]
        return min(ends), max(ends)

    def width(self, attributes: Table = BUILT_IN) -> int:
        return width_of(self._found.given) if self._found is not None else 1
