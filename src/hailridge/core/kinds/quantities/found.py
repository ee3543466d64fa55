"""What a neighbourhood finds: how many, how far, what they are like; and who finds me."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, ClassVar, Literal

import numpy as np

from hailridge.core.kinds.quantities.identity import one_number
from hailridge.core.scene.around import BEYOND, FURTHEST, LIST, MEAN, WAYS, Around, around
from hailridge.core.scene.claims import lookers_of, place_for
from hailridge.core.scene.moment import Moment
from hailridge.core.state.particles import Array, Rows, lengths, taken
from hailridge.model import fields
from hailridge.model.neighbourhoods import MOST_NEAREST
from hailridge.model.parts import Quantity

Which = Literal["nearest", "furthest", "mean"]
WHICH_WORDS = {"nearest": "the nearest", "furthest": "the furthest", "mean": "the middle of all"}
ONE_WORDS = {"nearest": "the nearest", "furthest": "the furthest"}
PART_WORDS = {"size": "the size", "x": "x", "y": "y", "z": "z"}


class OfNeighbourhood(Quantity):
    """What all quantities of a neighbourhood share."""

    category: ClassVar[str] = "Neighbours"

    neighbourhood: str = fields.reference("neighbourhood", label="Neighbourhood")

    def asked(self) -> Iterator[str]:
        """Which results it reads besides how many (`core.scene.around`)."""
        return iter(())

    def asks_around(self) -> Iterator[tuple[str, str]]:
        yield from ((self.neighbourhood, what) for what in self.asked())

    def answers(self, moment: Moment) -> Around:
        return around(moment, self.neighbourhood, *self.asked())


def listed(order: int) -> str:
    return f"{LIST} {order}"


class FoundCount(OfNeighbourhood):
    title: ClassVar[str] = "number found"
    also: ClassVar[str] = "neighbours crowd count how many search"
    rank: ClassVar[int] = 5
    sentence: ClassVar[str] = "number found by {neighbourhood}"
    word: ClassVar[str] = "count_of"
    help: ClassVar[str] = "How many a neighbourhood finds for the particle; 0 for one that does not look."
    unit: ClassVar[str] = "count"
    soft: ClassVar[tuple[float, float]] = (0.0, 100.0)
    low: ClassVar[float | None] = 0.0
    start: ClassVar[float | None] = 0.5

    kind: Literal["found"] = "found"

    def read(self, moment: Moment, rows: Rows) -> Any:
        return taken(self.answers(moment).counts, rows).astype(np.float32)


class FoundDensity(OfNeighbourhood):
    title: ClassVar[str] = "density around it"
    also: ClassVar[str] = "crowded concentration thick neighbours"
    rank: ClassVar[int] = 6
    sentence: ClassVar[str] = "density by {neighbourhood}, {per}"
    word: ClassVar[str] = "density_of"
    help: ClassVar[str] = (
        "How many a neighbourhood finds, divided by how far it looks (30 within 1.5 m make 20 for each metre), or by the volume of a ball of "
        "that size. Where the reach varies, this can be compared when the number cannot."
    )
    soft: ClassVar[tuple[float, float]] = (0.0, 100.0)
    low: ClassVar[float | None] = 0.0

    kind: Literal["found_density"] = "found_density"
    per: Literal["reach", "volume"] = fields.choice(
        "reach", {"reach": "for each metre of reach", "volume": "for each cubic metre"}, label="For each"
    )

    def read(self, moment: Moment, rows: Rows) -> Any:
        answers = self.answers(moment)
        reach = np.maximum(taken(answers.reach, rows), 0).astype(np.float64)
        room = reach if self.per == "reach" else 4 / 3 * np.pi * reach**3
        counts = taken(answers.counts, rows)
        return np.where(room > 1e-12, counts / np.maximum(room, 1e-12), 0).astype(np.float32)


class FoundDistance(OfNeighbourhood):
    title: ClassVar[str] = "distance to one found"
    also: ClassVar[str] = "near far nearest neighbour close how far"
    rank: ClassVar[int] = 7
    sentence: ClassVar[str] = "distance to {which} found by {neighbourhood}[, number {order} in order]"
    word: ClassVar[str] = "distance_of"
    help: ClassVar[str] = (
        "How far away the nearest, the furthest or the middle of all those found is. *In order* takes the second nearest, the third and so on. "
        "Whoever finds nobody reads a distance just beyond its reach."
    )
    unit: ClassVar[str] = "m"
    soft: ClassVar[tuple[float, float]] = (0.0, 2.0)
    low: ClassVar[float | None] = 0.0

    kind: Literal["found_distance"] = "found_distance"
    which: Which = fields.choice("nearest", WHICH_WORDS, label="To")
    order: int = fields.number(1, low=1, high=MOST_NEAREST, soft=(1, 8), step=1, whole=True, label="In order")

    def asked(self) -> Iterator[str]:
        yield {"nearest": listed(self.order), "furthest": FURTHEST, "mean": WAYS}[self.which]

    def read(self, moment: Moment, rows: Rows) -> Any:
        answers = self.answers(moment)
        beyond = taken(np.maximum(answers.reach, 0) * BEYOND + np.float32(1e-6), rows)
        if self.which == "mean":
            distances, there = lengths(taken(answers.ways, rows)), taken(answers.counts, rows) > 0
        else:
            found, far = one_of(answers, self.which, self.order)
            distances, there = taken(far, rows), taken(found, rows) >= 0
        return np.where(there, distances, beyond).astype(np.float32)


class FoundDirection(OfNeighbourhood):
    title: ClassVar[str] = "direction to one found"
    also: ClassVar[str] = "where way toward side neighbour"
    rank: ClassVar[int] = 8
    sentence: ClassVar[str] = "direction along {axis} to {which} found by {neighbourhood}"
    word: ClassVar[str] = "direction_of"
    help: ClassVar[str] = (
        "One part of the direction, −1 to 1, from the particle to the nearest, the furthest or the middle of all those found; 0 where there is "
        "nobody."
    )
    soft: ClassVar[tuple[float, float]] = (-1.0, 1.0)
    low: ClassVar[float | None] = -1.0
    high: ClassVar[float | None] = 1.0

    kind: Literal["found_direction"] = "found_direction"
    which: Which = fields.choice("mean", WHICH_WORDS, label="To")
    axis: Literal["x", "y", "z"] = fields.choice("y", {"x": "x", "y": "y (up)", "z": "z"}, label="Along")

    def asked(self) -> Iterator[str]:
        yield {"nearest": listed(1), "furthest": FURTHEST, "mean": WAYS}[self.which]

    def read(self, moment: Moment, rows: Rows) -> Any:
        answers = self.answers(moment)
        if self.which == "mean":
            ways = taken(answers.ways, rows)
        else:
            found, _far = one_of(answers, self.which, 1)
            chosen = taken(found, rows)
            places = moment.places_before()
            ways = np.where((chosen >= 0)[:, None], places.take(np.maximum(chosen, 0), axis=0) - taken(places, rows), 0) if len(places) else places
        size = lengths(np.ascontiguousarray(ways, np.float32))
        return np.where(size > 1e-9, ways[:, "xyz".index(self.axis)] / np.maximum(size, 1e-9), 0).astype(np.float32)


class FoundMean(OfNeighbourhood):
    title: ClassVar[str] = "mean of those found"
    also: ClassVar[str] = "average neighbours attribute around"
    rank: ClassVar[int] = 9
    sentence: ClassVar[str] = "mean [{part} of ]{attribute} found by {neighbourhood}"
    word: ClassVar[str] = "mean_of"
    help: ClassVar[str] = (
        "The mean of an attribute over those that a neighbourhood finds; whoever finds nobody reads its own. Of a vector or a colour, the mean is "
        "taken first, then its size, or one of its parts."
    )

    kind: Literal["found_mean"] = "found_mean"
    attribute: str = fields.reference("attribute", label="Attribute")
    part: Literal["size", "x", "y", "z"] = fields.choice("size", PART_WORDS, label="Of three numbers")

    def asked(self) -> Iterator[str]:
        yield f"{MEAN} {self.attribute}"

    def read(self, moment: Moment, rows: Rows) -> Any:
        means = taken(self.answers(moment).means[self.attribute], rows)
        return one_number(moment, self.attribute, means, self.part)


class FoundAttribute(OfNeighbourhood):
    title: ClassVar[str] = "attribute of one found"
    also: ClassVar[str] = "radius value neighbour theirs other"
    rank: ClassVar[int] = 10
    sentence: ClassVar[str] = "[{part} of ]{attribute} of {which} found by {neighbourhood}[, number {order} in order]"
    word: ClassVar[str] = "value_of"
    help: ClassVar[str] = (
        "What the nearest or the furthest of those found has of an attribute; *in order* takes the second nearest and so on. Whoever finds nobody "
        "reads its own."
    )

    kind: Literal["found_attribute"] = "found_attribute"
    attribute: str = fields.reference("attribute", label="Attribute")
    which: Literal["nearest", "furthest"] = fields.choice("nearest", ONE_WORDS, label="Of")
    order: int = fields.number(1, low=1, high=MOST_NEAREST, soft=(1, 8), step=1, whole=True, label="In order")
    part: Literal["size", "x", "y", "z"] = fields.choice("size", PART_WORDS, label="Of three numbers")

    def asked(self) -> Iterator[str]:
        yield listed(self.order) if self.which == "nearest" else FURTHEST

    def read(self, moment: Moment, rows: Rows) -> Any:
        found, _far = one_of(self.answers(moment), self.which, self.order)
        chosen, everyone = taken(found, rows), moment.read_attribute(self.attribute, moment.everyone())
        own = taken(everyone, rows)
        if len(everyone):
            theirs = everyone.take(np.maximum(chosen, 0), axis=0)
            own = np.where(chosen >= 0 if own.ndim == 1 else (chosen >= 0)[:, None], theirs, own)
        return one_number(moment, self.attribute, own, self.part)


class LookedAt(OfNeighbourhood):
    title: ClassVar[str] = "number that find it"
    also: ClassVar[str] = "looked at watched seekers how many see me"
    rank: ClassVar[int] = 11
    sentence: ClassVar[str] = "number of {neighbourhood} that find it"
    word: ClassVar[str] = "lookers_of"
    help: ClassVar[str] = "The question from the other side: how many of those who look in a neighbourhood find this particle."
    unit: ClassVar[str] = "count"
    soft: ClassVar[tuple[float, float]] = (0.0, 20.0)
    low: ClassVar[float | None] = 0.0
    start: ClassVar[float | None] = 0.5

    kind: Literal["looked_at"] = "looked_at"

    def read(self, moment: Moment, rows: Rows) -> Any:
        return taken(lookers_of(moment, self.neighbourhood)[0], rows).astype(np.float32)


class PlaceInOrder(OfNeighbourhood):
    title: ClassVar[str] = "its place in order"
    also: ClassVar[str] = "rank queue first second nearest"
    rank: ClassVar[int] = 12
    sentence: ClassVar[str] = "its place among those found by {neighbourhood}"
    word: ClassVar[str] = "place_of"
    help: ClassVar[str] = (
        "1 for the particle that is nearest to its seeker, 2 for the next and so on, 0 where nobody finds it. Where several find it, the nearest of "
        "them counts."
    )
    unit: ClassVar[str] = "count"
    soft: ClassVar[tuple[float, float]] = (0.0, 20.0)
    low: ClassVar[float | None] = 0.0

    kind: Literal["place_in_order"] = "place_in_order"

    def read(self, moment: Moment, rows: Rows) -> Any:
        return taken(place_for(moment, self.neighbourhood), rows).astype(np.float32)


def one_of(answers: Around, which: str, order: int) -> tuple[Array, Array]:
    """Rows of one of those found for everyone, −1 where there is none, and distances (m): (n,) each."""
    if which == "furthest":
        return answers.furthest_rows, answers.furthest
    number, known = answers.rows.shape
    if order > known:
        return np.full(number, -1, np.int64), np.zeros(number, np.float32)
    return answers.rows[:, order - 1], answers.distances[:, order - 1]
