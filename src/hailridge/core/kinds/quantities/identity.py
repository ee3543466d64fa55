"""Who a particle is: order of birth, a random number of its own, its attributes."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, ClassVar, Literal

import numpy as np

from hailridge.core.scene.moment import Moment
from hailridge.core.state.orientation import from_angles, turned_by
from hailridge.core.state.particles import Array, Rows, lengths
from hailridge.model import fields
from hailridge.model.effect import ItemSeed
from hailridge.model.kind import ValueType
from hailridge.model.parts import Quantity


class OwnRandom(Quantity):
    title: ClassVar[str] = "its random number"
    also: ClassVar[str] = "vary different each"
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
    also: ClassVar[str] = "id index"
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
    also: ClassVar[str] = "sequence first last"
    sentence: ClassVar[str] = "order of birth"
    category: ClassVar[str] = "Identity"
    help: ClassVar[str] = "0 for the first particle of its source, or the first child of its litter, 1 for the next, and so on."
    soft: ClassVar[tuple[float, float]] = (0.0, 1000.0)
    low: ClassVar[float | None] = 0.0

    kind: Literal["birth_order"] = "birth_order"

    def read(self, moment: Moment, rows: Rows) -> Any:
        return moment.column("birth_index")[rows].astype(np.float32)


class Generation(Quantity):
    title: ClassVar[str] = "generation"
    also: ClassVar[str] = "depth level child grandchild limb twig"
    sentence: ClassVar[str] = "generation"
    category: ClassVar[str] = "Identity"
    help: ClassVar[str] = (
        "0 for whoever a source brought forth, 1 for its children, 2 for theirs, and so on. What splits without end can stop at one of them."
    )
    soft: ClassVar[tuple[float, float]] = (0.0, 12.0)
    low: ClassVar[float | None] = 0.0
    start: ClassVar[float | None] = 3.0

    kind: Literal["generation"] = "generation"

    def read(self, moment: Moment, rows: Rows) -> Any:
        return moment.column("generation")[rows].astype(np.float32)


class Family(Quantity):
    title: ClassVar[str] = "family"
    also: ClassVar[str] = "ancestor root limb line descent tree clan"
    sentence: ClassVar[str] = "family"
    category: ClassVar[str] = "Identity"
    help: ClassVar[str] = (
        "The number of its first ancestor, whom a source brought forth: alike for all that came of one. Bands of it give each family a colour."
    )
    soft: ClassVar[tuple[float, float]] = (0.0, 1000.0)
    low: ClassVar[float | None] = 0.0

    kind: Literal["family"] = "family"

    def read(self, moment: Moment, rows: Rows) -> Any:
        return moment.column("family")[rows].astype(np.float32)


class ParentNumber(Quantity):
    title: ClassVar[str] = "number of its parent"
    also: ClassVar[str] = "mother origin child of"
    sentence: ClassVar[str] = "number of its parent"
    category: ClassVar[str] = "Identity"
    help: ClassVar[str] = "The number of the particle that gave birth to it, there or gone; −1 for whoever a source brought forth."
    soft: ClassVar[tuple[float, float]] = (-1.0, 1000.0)
    low: ClassVar[float | None] = -1.0

    kind: Literal["parent_number"] = "parent_number"

    def read(self, moment: Moment, rows: Rows) -> Any:
        return moment.column("parent_id")[rows].astype(np.float32)


class AttributeValue(Quantity):
    title: ClassVar[str] = "attribute"
    also: ClassVar[str] = "value property"
    leads: ClassVar[bool] = True
    sentence: ClassVar[str] = "[{part} of ]{attribute}"
    category: ClassVar[str] = "Identity"
    help: ClassVar[str] = (
        "Anything that a particle carries: radius, opacity, mass, lifetime, or an attribute of your own. Of a vector its length or one of its "
        "parts, of a colour its lightness or (x, y, z) its red, green or blue, of an orientation how far it is turned, or its turn about one axis."
    )

    kind: Literal["attribute"] = "attribute"
    attribute: str = fields.reference("attribute", label="Attribute")
    part: Literal["size", "x", "y", "z"] = fields.choice(
        "size", {"size": "the size", "x": "x", "y": "y", "z": "z"}, label="Of three numbers",
    )  # fmt: skip

    def read(self, moment: Moment, rows: Rows) -> Any:
        return one_number(moment, self.attribute, moment.read_attribute(self.attribute, rows), self.part)


class Marked(Quantity):
    title: ClassVar[str] = "yes or no of its own"
    also: ClassVar[str] = "flag tag state own"
    sentence: ClassVar[str] = "{attribute} is yes"
    category: ClassVar[str] = "Identity"
    help: ClassVar[str] = "True where an attribute of yours that is *yes or no* is yes for the particle."
    value_type: ClassVar[ValueType] = "flag"

    kind: Literal["marked"] = "marked"
    attribute: str = fields.reference("attribute", label="Attribute", only=("flag",))

    def faults(self, effect: Any) -> Iterator[tuple[str, str]]:
        if not any(declared.id == self.attribute and declared.type == "flag" for declared in effect.attributes):
            yield "attribute", f"'{self.attribute}' is not a yes or no of your own"

    def read(self, moment: Moment, rows: Rows) -> Any:
        return moment.read_attribute(self.attribute, rows) > 0.5


def one_number(moment: Moment, attribute: str, values: Array, part: str) -> Array:
    """Values of an attribute as one number each, (k,): of three (k, 3) one part, or their size: a length, a lightness, an angle turned (°)."""
    if values.ndim == 1:
        return values
    if part != "size":
        found: Array = values[:, "xyz".index(part)]
        return found
    match moment.scene.table[attribute].value_type:
        case "color":
            lightness: Array = values @ np.array([0.2126, 0.7152, 0.0722], np.float32)
            return lightness
        case "orientation":
            turn: Array = turned_by(from_angles(values))
            return turn
        case _:
            return lengths(values)
