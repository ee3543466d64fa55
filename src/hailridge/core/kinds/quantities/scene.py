"""What is the same for all particles: time and population."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

import numpy as np

from hailridge.core.scene.moment import Moment
from hailridge.core.state.particles import Rows, number_of
from hailridge.model import fields
from hailridge.model.parts import Quantity


class Time(Quantity):
    title: ClassVar[str] = "time on the clock"
    also: ClassVar[str] = "frame clock when"
    sentence: ClassVar[str] = "time"
    category: ClassVar[str] = "Scene"
    help: ClassVar[str] = "Time since the effect began."
    unit: ClassVar[str] = "s"
    runs: ClassVar[bool] = True
    soft: ClassVar[tuple[float, float]] = (0.0, 10.0)

    kind: Literal["time"] = "time"

    def read(self, moment: Moment, rows: Rows) -> Any:
        return np.full(number_of(rows), moment.time, np.float32)


class Population(Quantity):
    title: ClassVar[str] = "population of a group"
    also: ClassVar[str] = "how many count number in group"
    sentence: ClassVar[str] = "number of {group}"
    category: ClassVar[str] = "Scene"
    help: ClassVar[str] = "How many particles are in the group and the groups within it."
    soft: ClassVar[tuple[float, float]] = (0.0, 10000.0)
    low: ClassVar[float | None] = 0.0

    kind: Literal["population"] = "population"
    group: str = fields.reference("group", label="Group")

    def read(self, moment: Moment, rows: Rows) -> Any:
        members = moment.scene.members([self.group])
        return np.full(number_of(rows), np.count_nonzero(members[moment.column("group")]), np.float32)
