from __future__ import annotations

import math
from typing import Any, ClassVar, Literal

from hailridge.core.scene.moment import Moment
from hailridge.core.scene.unbounded import Unbounded
from hailridge.core.state.particles import Rows
from hailridge.model import fields
from hailridge.model.attributes import BUILT_IN, Table


class FirstValue(Unbounded):
    """What an attribute was when the particle came into being."""

    title: ClassVar[str] = "its first value"
    also: ClassVar[str] = "birth original"
    rank: ClassVar[int] = 14
    sentence: ClassVar[str] = "its first {attribute}"
    help: ClassVar[str] = "The value that the particle itself had at birth, of this attribute or of another one: growing back, coming home."

    kind: Literal["first"] = "first"
    attribute: str = fields.reference("attribute", label="Of")

    def returns_to(self) -> str | None:
        return self.attribute

    def give(self, moment: Moment, rows: Rows) -> Any:
        return self.held(moment.first_values(self.attribute, rows))

    def extent(self, attributes: Table = BUILT_IN) -> tuple[float, float]:
        info = attributes.get(self.attribute)
        low, high = (None, None) if info is None else (info.low, info.high)
        return (-math.inf if low is None else low, math.inf if high is None else high)

    def width(self, attributes: Table = BUILT_IN) -> int:
        info = attributes.get(self.attribute)
        return 1 if info is None else info.width
