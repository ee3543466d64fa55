"""A test by a formula of one's own."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

import numpy as np

from hailridge.core.kinds.written import HELP, Written
from hailridge.core.scene.moment import Moment
from hailridge.core.state.particles import Rows
from hailridge.model import fields
from hailridge.model.parts import Condition


class FormulaCondition(Written, Condition):
    title: ClassVar[str] = "a formula is true"
    also: ClassVar[str] = "expression write if calculate"
    rank: ClassVar[int] = 9
    sentence: ClassVar[str] = "{text}"
    category: ClassVar[str] = "Test"
    help: ClassVar[str] = (
        "A formula of your own about the particle, with *and*, *or*, *not*, and comparisons: age > 2 and id % 3 == 0. A number counts as true "
        "where it is not 0."
    )

    kind: Literal["formula"] = "formula"
    text: str = fields.formula("speed > 1 and id % 3 == 0", lookups={}, label="Formula", help=HELP)

    @property
    def what(self) -> str:
        return "a condition"

    def holds(self, moment: Moment, rows: Rows) -> Any:
        return np.asarray(self.value(moment, rows) != 0)
