"""A quantity by a formula of one's own."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

import numpy as np

from hailridge.core.kinds.written import HELP, Written
from hailridge.core.scene.moment import Moment
from hailridge.core.state.particles import Rows
from hailridge.model import fields
from hailridge.model.parts import Quantity


class FormulaQuantity(Written, Quantity):
    title: ClassVar[str] = "a formula"
    also: ClassVar[str] = "expression write calculate"
    rank: ClassVar[int] = 30
    sentence: ClassVar[str] = "formula {text}"
    category: ClassVar[str] = "Identity"
    help: ClassVar[str] = (
        "A formula of your own about the particle, for whatever no single quantity says: attributes by name, every other quantity as a call. What is "
        "not a number counts as 0; true counts as 1."
    )
    soft: ClassVar[tuple[float, float]] = (0.0, 1.0)

    kind: Literal["formula"] = "formula"
    text: str = fields.formula("speed / max(age, 0.1)", lookups={}, label="Formula", help=HELP)

    @property
    def what(self) -> str:
        return "a quantity"

    def read(self, moment: Moment, rows: Rows) -> Any:
        return self.value(moment, rows).astype(np.float32)
