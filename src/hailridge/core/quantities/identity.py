"""Who a particle is: order of birth, a random number of its own, its attributes."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

import numpy as np

from hailridge.core.moment import Moment
from hailridge.core.particles import Rows, lengths
from hailridge.model import fields
from hailridge.model.effect import ItemSeed
from hailridge.model.parts import Quantity


class OwnRandom(Quantity):
    title: ClassVar[str] = "its random number"
    sentence: ClassVar[str] = "its random number"
    category: ClassVar[str] = "Identity"
    help: ClassVar[str] = "A number from 0 to 1 that the particle keeps for life. Another seed gives another one."
    low: ClassVar[float | None] = 0.0
    high: ClassVar[float | None] = 1.0

    kind: Literal["own_random"] = "own_random"
    seed: ItemSeed = fields.number(0, low=0, high=2**31 - 1, whole=True, label="Seed")

    def read(self, moment: Moment, rows: Rows) -> Any:
        # The seed alone decides, so that two rules reading it see the same number.
        return moment.uniforms(rows, 0x0FF1CE + self.seed)[:, 0]


class Number(Quantity):
    title: ClassVar[str] = "its number"
    sentence: ClassVar[str] = "its number"
    category: ClassVar[str] = "Identity"
    help: ClassVar[str] = "0 for the first particle of the effect, 1 for the next, and so on, whatever brought it into being; it never changes."
    soft: ClassVar[tuple[float, float]] = (0.0, 1000.0)
    low: ClassVar[float | None] = 0.0

    kind: Literal["number"] = "number"

    def read(self, moment: Moment, rows: Rows) -> Any:
        return moment.column("id")[rows].astype(np.float32)


class BirthOrder(Quantity):
    title: ClassVar[str] = "order of birth"
    sentence: ClassVar[str] = "order of birth"
    category: ClassVar[str] = "Identity"
    help: ClassVar[str] = "0 for the first particle of its source, or the first child of its litter, 1 for the next, and so on."
    soft: ClassVar[tuple[float, float]] = (0.0, 1000.0)
    low: ClassVar[float | None] = 0.0

    kind: Literal["birth_order"] = "birth_order"

    def read(self, moment: Moment, rows: Rows) -> Any:
        return moment.column("birth_index")[rows].astype(np.float32)


class AttributeValue(Quantity):
    title: ClassVar[str] = "attribute"
    sentence: ClassVar[str] = "{attribute}"
    category: ClassVar[str] = "Identity"
    help: ClassVar[str] = "Any number that a particle carries: radius, opacity, mass, lifetime, or an attribute of your own."

    kind: Literal["attribute"] = "attribute"
    attribute: str = fields.reference("attribute", label="Attribute")

    def read(self, moment: Moment, rows: Rows) -> Any:
        values = moment.read_attribute(self.attribute, rows)
        # Of a vector its length is read, of a colour its lightness: one number either way.
        if values.ndim == 1:
            return values
        if self.attribute == "color":
            return values @ np.array([0.2126, 0.7152, 0.0722], np.float32)
        return lengths(values)
