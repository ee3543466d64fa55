"""What a particle has touched."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

import numpy as np

from hailridge.core.scene.moment import Moment
from hailridge.core.scene.sticking import COLUMNS
from hailridge.core.state.particles import Rows, number_of, touching_bit
from hailridge.model import fields
from hailridge.model.kind import ValueType
from hailridge.model.parts import Quantity


class Touching(Quantity):
    title: ClassVar[str] = "is touching"
    also: ClassVar[str] = "hit collide contact"
    sentence: ClassVar[str] = "it touches {shape}"
    category: ClassVar[str] = "Contact"
    help: ClassVar[str] = "True while the particle touches the shape, resting included. A *bounce off* rule has to make it solid first."
    value_type: ClassVar[ValueType] = "flag"

    kind: Literal["touching"] = "touching"
    shape: str | None = fields.reference("shape", label="Shape", optional="anything")

    def read(self, moment: Moment, rows: Rows) -> Any:
        touching = moment.column("touching")[rows]
        return touching != 0 if self.shape is None else (touching & touching_bit(moment.scene.shape_index[self.shape])) != 0


class Stuck(Quantity):
    title: ClassVar[str] = "is stuck"
    also: ClassVar[str] = "sticking attached glued held"
    sentence: ClassVar[str] = "it is stuck to {shape}"
    category: ClassVar[str] = "Contact"
    help: ClassVar[str] = "True from the touch at which it stuck to the shape until it is let go."
    value_type: ClassVar[ValueType] = "flag"

    kind: Literal["stuck"] = "stuck"
    shape: str | None = fields.reference("shape", label="Shape", optional="anything")

    def needs(self) -> tuple[str, ...]:
        return COLUMNS

    def read(self, moment: Moment, rows: Rows) -> Any:
        # Where only a look asks nothing sticks.
        stuck = moment.column("stuck")[rows] if moment.particles.has("stuck") else np.zeros(number_of(rows), np.int16)
        return stuck > 0 if self.shape is None else stuck == moment.scene.shape_index[self.shape] + 1


class ContactCount(Quantity):
    title: ClassVar[str] = "number of contacts"
    also: ClassVar[str] = "hits bounces how often"
    sentence: ClassVar[str] = "number of contacts"
    category: ClassVar[str] = "Contact"
    help: ClassVar[str] = "How many times it has come to touch something. Resting on a surface counts once."
    soft: ClassVar[tuple[float, float]] = (0.0, 10.0)
    low: ClassVar[float | None] = 0.0

    kind: Literal["contact_count"] = "contact_count"

    def read(self, moment: Moment, rows: Rows) -> Any:
        return moment.column("contact_count")[rows].astype(np.float32)


class ImpactSpeed(Quantity):
    title: ClassVar[str] = "impact speed"
    also: ClassVar[str] = "hit hard crash force"
    sentence: ClassVar[str] = "impact speed"
    category: ClassVar[str] = "Contact"
    help: ClassVar[str] = "How fast it came straight onto the surface at its latest contact; a grazing touch is slow however fast it flies."
    unit: ClassVar[str] = "m/s"
    soft: ClassVar[tuple[float, float]] = (0.0, 20.0)
    low: ClassVar[float | None] = 0.0

    kind: Literal["impact_speed"] = "impact_speed"

    def read(self, moment: Moment, rows: Rows) -> Any:
        return moment.column("impact_speed")[rows]


class SinceContact(Quantity):
    title: ClassVar[str] = "time since contact"
    also: ClassVar[str] = "after touching hit timer"
    sentence: ClassVar[str] = "time since contact"
    category: ClassVar[str] = "Contact"
    help: ClassVar[str] = "Time since it last came to touch something; very long for what never has."
    unit: ClassVar[str] = "s"
    runs: ClassVar[bool] = True
    soft: ClassVar[tuple[float, float]] = (0.0, 10.0)
    low: ClassVar[float | None] = 0.0

    kind: Literal["since_contact"] = "since_contact"

    def read(self, moment: Moment, rows: Rows) -> Any:
        return np.float32(moment.time) - moment.column("contact_time")[rows]
