"""Who is near."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

import numpy as np

from hailridge.core.scene.moment import Moment
from hailridge.core.scene.near import neighbour_counts
from hailridge.core.state.particles import Rows
from hailridge.model import fields
from hailridge.model.kind import ValueType
from hailridge.model.parts import Amount, Quantity


class NeighbourCount(Quantity):
    title: ClassVar[str] = "number of neighbours"
    also: ClassVar[str] = "crowded density near count"
    sentence: ClassVar[str] = "neighbours within {distance}[ among {who}]"
    category: ClassVar[str] = "Neighbours"
    help: ClassVar[str] = (
        "How many other particles have their centre within a distance, where everybody stood at the start of the step. The distance can vary "
        "from particle to particle, with its age say."
    )
    unit: ClassVar[str] = "count"
    soft: ClassVar[tuple[float, float]] = (0.0, 100.0)
    low: ClassVar[float | None] = 0.0

    kind: Literal["neighbours"] = "neighbours"
    distance: Amount = fields.amount(0.25, unit="m", low=0, high=1e4, soft=(0.02, 2), label="Within")
    who: list[str] = fields.reference("group", label="Among", many="Everyone", help="Groups include the groups within them.")

    def read(self, moment: Moment, rows: Rows) -> Any:
        return neighbour_counts(moment, rows, self.distance.give(moment, rows), self.who).astype(np.float32)


class TouchingGroup(Quantity):
    title: ClassVar[str] = "is touching a particle"
    also: ClassVar[str] = "collide each other hit particle"
    sentence: ClassVar[str] = "it touches another of {who}[, nearly: within {gap}]"
    category: ClassVar[str] = "Neighbours"
    help: ClassVar[str] = "True while it overlaps another particle of these groups, both taken as balls of their radius."
    value_type: ClassVar[ValueType] = "flag"

    kind: Literal["touching_group"] = "touching_group"
    who: list[str] = fields.reference("group", label="Of", many="Everyone", help="Groups include the groups within them.")
    gap: float = fields.number(0.0, unit="m", low=0, high=1000, soft=(0, 0.5), label="Counting as touching up to")

    def read(self, moment: Moment, rows: Rows) -> Any:
        return neighbour_counts(moment, rows, self.gap, self.who, touching=True) > 0
