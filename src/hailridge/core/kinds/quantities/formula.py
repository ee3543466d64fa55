"""A quantity by a formula of one's own."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, ClassVar, Literal

import numpy as np
from pydantic import PrivateAttr

from hailridge.core.formulas.formula import Formula, faults_of, mentions_of
from hailridge.core.kinds.words import Surroundings, words_of
from hailridge.core.scene.moment import Moment
from hailridge.core.state.particles import Rows, number_of
from hailridge.model import fields
from hailridge.model.attributes import BUILT_IN, AttributeInfo, Table
from hailridge.model.kind import Part, RuleMemory, parts_of
from hailridge.model.parts import Quantity

FURTHEST = 1e30
"""What counts in place of infinity."""

HELP = (
    "The last line is the value; lines before it give values names. Attributes by name: age, speed, radius, position (.x .y .z) and your own; "
    "*time*, *frame*. Every other quantity is a call with its fields: height(), field(\"Veil\"), distance_to(\"Dome\"), "
    "neighbours(distance=0.2). Functions: sin, cos, abs, min, max, clamp, mix, step, smoothstep, length, dot, noise, remap, and more."
)


class FormulaQuantity(Quantity):
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
    _formula: Formula | None = PrivateAttr(default=None)

    def formula(self, effect: Any) -> Formula:
        """The formula, read once. Raises FormulaError."""
        if self._formula is None:
            self._formula = Formula(self.text, words_of(effect))
        return self._formula

    def faults(self, effect: Any) -> Iterator[tuple[str, str]]:
        return faults_of(lambda: self.formula(effect), "a quantity")

    def mentions(self, to: str) -> Iterator[tuple[str, str]]:
        return mentions_of(self._formula, to)

    def read(self, moment: Moment, rows: Rows) -> Any:
        formula = self.formula(moment.scene.effect)
        value = np.asarray(formula(Surroundings(formula, moment, rows)), np.float64)
        value = np.nan_to_num(value, nan=0.0, posinf=FURTHEST, neginf=-FURTHEST).clip(-FURTHEST, FURTHEST)
        return np.array(np.broadcast_to(value, (number_of(rows),)), np.float32)

    # What it reads needs what it would need anywhere else.

    def _parts(self) -> Iterator[Part]:
        for part in self._formula.readings.values() if self._formula is not None else ():
            yield from (inner for _path, inner in parts_of(part))

    def needs(self) -> tuple[str, ...]:
        names = self._formula.given if self._formula is not None else []
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
