"""Age and what is left of life."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, ClassVar, Literal

import numpy as np

from hailridge.core.scene.moment import Moment
from hailridge.core.state.particles import FOREVER_AGO, Rows, number_of
from hailridge.model import fields
from hailridge.model.attributes import memory_of_rule
from hailridge.model.kind import RuleMemory
from hailridge.model.parts import Quantity


class Age(Quantity):
    title: ClassVar[str] = "age"
    also: ClassVar[str] = "old time since birth seconds"
    sentence: ClassVar[str] = "age"
    category: ClassVar[str] = "Life"
    help: ClassVar[str] = "Time since the particle was born, or since a rule set its age back."
    unit: ClassVar[str] = "s"
    runs: ClassVar[bool] = True
    soft: ClassVar[tuple[float, float]] = (0.0, 10.0)
    low: ClassVar[float | None] = 0.0

    kind: Literal["age"] = "age"

    def read(self, moment: Moment, rows: Rows) -> Any:
        return moment.column("age")[rows]


class LifeFraction(Quantity):
    title: ClassVar[str] = "part of life"
    also: ClassVar[str] = "percent of life normalised age"
    sentence: ClassVar[str] = "part of life"
    category: ClassVar[str] = "Life"
    help: ClassVar[str] = "Age as a part of the lifetime: 0 at birth, 1 at the end."
    low: ClassVar[float | None] = 0.0
    high: ClassVar[float | None] = 1.0

    kind: Literal["life_fraction"] = "life_fraction"

    def read(self, moment: Moment, rows: Rows) -> Any:
        return np.clip(moment.column("age")[rows] / np.maximum(moment.column("lifetime")[rows], np.float32(1e-9)), 0, 1)


class Remaining(Quantity):
    title: ClassVar[str] = "remaining life"
    also: ClassVar[str] = "left until death"
    sentence: ClassVar[str] = "remaining life"
    category: ClassVar[str] = "Life"
    help: ClassVar[str] = "How long until the particle's lifetime is over."
    unit: ClassVar[str] = "s"
    soft: ClassVar[tuple[float, float]] = (0.0, 10.0)
    low: ClassVar[float | None] = 0.0

    kind: Literal["remaining"] = "remaining"

    def read(self, moment: Moment, rows: Rows) -> Any:
        return np.maximum(moment.column("lifetime")[rows] - moment.column("age")[rows], 0)


class TimeInGroup(Quantity):
    title: ClassVar[str] = "time in its group"
    also: ClassVar[str] = "since state timer"
    sentence: ClassVar[str] = "time in its group"
    category: ClassVar[str] = "Life"
    help: ClassVar[str] = "Time since the particle entered the group that it is in. No need to set its age back to measure a delay."
    unit: ClassVar[str] = "s"
    runs: ClassVar[bool] = True
    soft: ClassVar[tuple[float, float]] = (0.0, 10.0)
    low: ClassVar[float | None] = 0.0

    kind: Literal["time_in_group"] = "time_in_group"

    def read(self, moment: Moment, rows: Rows) -> Any:
        return np.float32(moment.time) - moment.column("entered")[rows]


class SinceRule(Quantity):
    title: ClassVar[str] = "time since a rule acted"
    also: ClassVar[str] = "after rule fired timer"
    sentence: ClassVar[str] = "time since {rule} acted on it"
    category: ClassVar[str] = "Life"
    help: ClassVar[str] = "Time since that rule last acted on this particle; very long for those on which it never has. A child starts afresh."
    unit: ClassVar[str] = "s"
    runs: ClassVar[bool] = True
    soft: ClassVar[tuple[float, float]] = (0.0, 10.0)
    low: ClassVar[float | None] = 0.0

    kind: Literal["since_rule"] = "since_rule"
    rule: str = fields.reference("rule", label="Rule")

    def asks_of_rules(self) -> Iterator[tuple[RuleMemory, str]]:
        yield "acted", self.rule

    def read(self, moment: Moment, rows: Rows) -> Any:
        name = memory_of_rule(self.rule, "acted")
        if not moment.particles.has(name):
            # Its rule is switched off, so it has never acted.
            return np.full(number_of(rows), -FOREVER_AGO, np.float32)
        return np.float32(moment.time) - moment.column(name)[rows]
