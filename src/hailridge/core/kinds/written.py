"""What all parts share that work by a formula about particles."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import suppress
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pydantic import PrivateAttr

from hailridge.core.formulas.formula import Computed, Formula, faults_of, mentions_of
from hailridge.core.formulas.reading import FormulaError
from hailridge.core.kinds.words import Surroundings, words_of
from hailridge.core.scene.moment import Moment
from hailridge.core.state.particles import Rows, number_of
from hailridge.model.attributes import BUILT_IN, AttributeInfo, Table
from hailridge.model.kind import Kind, Part, RuleMemory, parts_of

FURTHEST = 1e30
"""What counts in place of infinity."""

HELP = (
    "The last line is the value; lines before it give values names. Read attributes by name (age, velocity.y), the clock (time), who it is (id), and "
    "ask with brackets: height(), field(\"Veil\"), random(7). Ctrl+Space lists all that can be named."
)


class Written(Kind):
    """A part that works by a formula. It is read when the document is looked at; what is wrong stops this part only."""

    text: str
    _formula: Computed | None = PrivateAttr(default=None)

    @property
    def what(self) -> str:
        """What the part is, where it has to be one number; empty where it need not."""
        return ""

    def compose(self, effect: Any) -> Computed:
        """Read the formula. Raises FormulaError."""
        return Formula(self.text, words_of(effect))

    def formula(self, effect: Any) -> Any:
        """The formula, read once. Raises FormulaError."""
        if self._formula is None:
            self._formula = self.compose(effect)
        return self._formula

    def find(self, effect: Any) -> None:
        # What is wrong is told of among the faults.
        with suppress(FormulaError):
            self.formula(effect)

    def faults(self, effect: Any) -> Iterator[tuple[str, str]]:
        return faults_of(lambda: self.formula(effect), self.what)

    def mentions(self, to: str) -> Iterator[tuple[str, str]]:
        return mentions_of(self._formula, to)

    def value(self, moment: Moment, rows: Rows) -> Any:
        """What is read of particles: float32 or bool, (k,) or (k, 3). What is no number counts as 0 and is told of; infinity as very much."""
        value = self._value(moment, rows)
        if value.dtype == np.bool_:
            return value
        spoilt = np.isnan(value if value.ndim < 2 else value.sum(axis=1))
        if spoilt.any():
            who = moment.column("id")[rows][int(np.argmax(spoilt))]
            moment.find("warning", self.address, f"the formula gives no number for particle {who}; 0 was taken", key="no number")
        return np.nan_to_num(value, nan=0.0, posinf=FURTHEST, neginf=-FURTHEST).clip(-FURTHEST, FURTHEST).astype(np.float32)

    def given(self, moment: Moment, rows: Rows) -> Any:
        """What is written to particles: float32, (k,) or (k, 3). For whom it is no finite number nothing is written (`Moment.leave_out`); where it is
        no write, 0 counts."""
        value = self._value(moment, rows)
        if value.dtype != np.bool_:
            fine: NDArray[np.bool_] = np.isfinite(value) & (np.abs(value) < FURTHEST)
            if not fine.all():
                moment.leave_out(rows, ~np.asarray(fine.reshape(len(fine), -1).all(axis=1)), self.address)
                value = np.where(fine, value, 0)
        return value.astype(np.float32)

    def _value(self, moment: Moment, rows: Rows) -> Any:
        """What the formula gives, as it is: (k,) or (k, 3)."""
        formula = self.formula(moment.scene.effect)
        value = np.asarray(formula(Surroundings(formula, moment, rows)))
        return np.array(np.broadcast_to(value, (number_of(rows), 3) if formula.type == "vector" else (number_of(rows),)))

    # What it reads needs what it would need anywhere else.

    def _parts(self) -> Iterator[Part]:
        for part in self._formula.readings.values() if self._formula is not None else ():
            if isinstance(part, Part):
                yield from (inner for _path, inner in parts_of(part))

    def needs(self) -> tuple[str, ...]:
        names = self._formula.names if self._formula is not None else []
        own = [column for name in names if name in BUILT_IN for column in BUILT_IN[name].optional]
        return (*own, *(column for part in self._parts() for column in part.needs()))

    def asks_of_rules(self) -> Iterator[tuple[RuleMemory, str]]:
        for part in self._parts():
            yield from part.asks_of_rules()

    def asks_around(self) -> Iterator[tuple[str, str]]:
        for part in self._parts():
            yield from part.asks_around()

    def remembers(self, attributes: Table) -> Iterator[AttributeInfo]:
        for part in self._parts():
            yield from part.remembers(attributes)
