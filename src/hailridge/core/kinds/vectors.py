"""Vectors that formulas can ask for: what quantities, which are single numbers, only give part by part."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, ClassVar, Literal

import numpy as np

from hailridge.core.formulas.functions import Type
from hailridge.core.kinds.quantities.found import ONE_WORDS, WHICH_WORDS, Which, listed, one_of
from hailridge.core.scene.around import FURTHEST, MEAN, WAYS, Around, around
from hailridge.core.scene.moment import Moment
from hailridge.core.scene.sensing import sensed
from hailridge.core.state.particles import Array, Rows, taken
from hailridge.model import fields
from hailridge.model.attributes import WIDE, table_of
from hailridge.model.kind import Part
from hailridge.model.neighbourhoods import MOST_NEAREST


class VectorWord(Part):
    """A call in formulas that gives three numbers."""

    gives: ClassVar[Type] = "vector"
    unit: ClassVar[str] = ""
    help: ClassVar[str] = ""

    def read(self, moment: Moment, rows: Rows) -> Any:
        """(k, 3)."""
        raise NotImplementedError


class OfAround(VectorWord):
    """What is asked of a neighbourhood."""

    neighbourhood: str = fields.reference("neighbourhood", label="Neighbourhood")

    def asked(self) -> Iterator[str]:
        raise NotImplementedError

    def asks_around(self) -> Iterator[tuple[str, str]]:
        yield from ((self.neighbourhood, what) for what in self.asked())

    def answers(self, moment: Moment) -> Around:
        return around(moment, self.neighbourhood, *self.asked())


class WayOf(OfAround):
    """The way to one that is found."""

    unit: ClassVar[str] = "m"
    help: ClassVar[str] = "From the particle to the nearest of those found, or to another one in order; nothing where there is none."

    order: int = fields.number(1, low=1, high=MOST_NEAREST, whole=True, label="In order")
    which: Which = fields.choice("nearest", WHICH_WORDS, label="To")

    def asked(self) -> Iterator[str]:
        yield {"nearest": listed(self.order), "furthest": FURTHEST, "mean": WAYS}[self.which]

    def read(self, moment: Moment, rows: Rows) -> Any:
        answers = self.answers(moment)
        if self.which == "mean":
            return taken(answers.ways, rows)
        chosen = taken(one_of(answers, self.which, self.order)[0], rows)
        places = moment.places_before()
        if not len(places):
            return places
        there = places.take(np.maximum(chosen, 0), axis=0)
        return np.where((chosen >= 0)[:, None], there - taken(places, rows), np.float32(0))


class VectorOf(OfAround):
    """A vector or colour of one that is found."""

    help: ClassVar[str] = "A vector or colour of the nearest of those found, or of another one in order; its own where there is none."

    attribute: str = fields.reference("attribute", label="Attribute")
    order: int = fields.number(1, low=1, high=MOST_NEAREST, whole=True, label="In order")
    which: Literal["nearest", "furthest"] = fields.choice("nearest", ONE_WORDS, label="Of")

    def faults(self, effect: Any) -> Iterator[tuple[str, str]]:
        yield from wide_only(effect, self.attribute)

    def asked(self) -> Iterator[str]:
        yield listed(self.order) if self.which == "nearest" else FURTHEST

    def read(self, moment: Moment, rows: Rows) -> Any:
        chosen = taken(one_of(self.answers(moment), self.which, self.order)[0], rows)
        everyone: Array = moment.read_attribute(self.attribute, moment.everyone())
        if not len(everyone):
            return everyone
        return np.where((chosen >= 0)[:, None], everyone.take(np.maximum(chosen, 0), axis=0), taken(everyone, rows))


class MeanVectorOf(OfAround):
    """The mean of a vector or colour of those found."""

    help: ClassVar[str] = "The mean of a vector or colour over those found; its own where there is nobody."

    attribute: str = fields.reference("attribute", label="Attribute")

    def faults(self, effect: Any) -> Iterator[tuple[str, str]]:
        yield from wide_only(effect, self.attribute)

    def asked(self) -> Iterator[str]:
        yield f"{MEAN} {self.attribute}"

    def read(self, moment: Moment, rows: Rows) -> Any:
        return taken(self.answers(moment).means[self.attribute], rows)


class OfShape(VectorWord):
    """What is sensed of a shape's surface."""

    shape: str = fields.reference("shape", label="Shape")


class WayTo(OfShape):
    """The way to a surface."""

    unit: ClassVar[str] = "m"
    help: ClassVar[str] = "From the particle to the nearest place of the shape's surface."

    def read(self, moment: Moment, rows: Rows) -> Any:
        return sensed(moment, self.shape, rows)[:, :3] - moment.column("position")[rows]


class NormalOf(OfShape):
    """How a surface faces."""

    help: ClassVar[str] = "How the shape's surface faces where it is nearest to the particle: a vector of length 1."

    def read(self, moment: Moment, rows: Rows) -> Any:
        return sensed(moment, self.shape, rows)[:, 6:9]


def wide_only(effect: Any, attribute: str) -> Iterator[tuple[str, str]]:
    info = table_of(vars(item) for item in effect.attributes).get(attribute)
    kind = info.value_type if info is not None else "vector"
    if kind not in WIDE:
        yield "attribute", f"'{attribute}' is one number; ask for it with value_of or mean_of"


VECTOR_WORDS: dict[str, type[VectorWord]] = {
    "way_of": WayOf, "vector_of": VectorOf, "mean_vector_of": MeanVectorOf, "way_to": WayTo, "normal_of": NormalOf,
}  # fmt: skip
"""Calls that give vectors, by what formulas call them."""
