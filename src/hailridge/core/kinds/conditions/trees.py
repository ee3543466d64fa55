"""Joining conditions: all, any, not."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

import numpy as np

from hailridge.core.scene.moment import Moment
from hailridge.core.state.particles import Rows, number_of
from hailridge.model import fields
from hailridge.model.parts import Condition


class All(Condition):
    title: ClassVar[str] = "all of these"
    also: ClassVar[str] = "and both"
    sentence: ClassVar[str] = "all of: {conditions}"
    category: ClassVar[str] = "Several"
    help: ClassVar[str] = "Holds when every one of its conditions holds; with none, it always holds."

    kind: Literal["all"] = "all"
    conditions: list[Condition] = fields.slot("condition", many=True, label="Conditions")

    def holds(self, moment: Moment, rows: Rows) -> Any:
        out = np.ones(number_of(rows), np.bool_)
        for condition in self.conditions:
            out &= condition.holds(moment, rows)
        return out


class Any_(Condition):
    title: ClassVar[str] = "any of these"
    also: ClassVar[str] = "or either"
    sentence: ClassVar[str] = "any of: {conditions}"
    category: ClassVar[str] = "Several"
    help: ClassVar[str] = "Holds when at least one of its conditions holds; with none, it never holds."

    kind: Literal["any"] = "any"
    conditions: list[Condition] = fields.slot("condition", many=True, label="Conditions")

    def holds(self, moment: Moment, rows: Rows) -> Any:
        out = np.zeros(number_of(rows), np.bool_)
        for condition in self.conditions:
            out |= condition.holds(moment, rows)
        return out


class Not(Condition):
    title: ClassVar[str] = "not"
    also: ClassVar[str] = "unless except opposite"
    sentence: ClassVar[str] = "not {condition}"
    category: ClassVar[str] = "Several"
    help: ClassVar[str] = "Holds when its condition does not."

    kind: Literal["not"] = "not"
    condition: Condition = fields.slot("condition", {"kind": "compare"}, label="Condition")

    def holds(self, moment: Moment, rows: Rows) -> Any:
        return ~np.asarray(self.condition.holds(moment, rows), np.bool_)
