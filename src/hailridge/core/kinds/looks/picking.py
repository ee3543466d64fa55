"""Which drawing of a set, or which form of several, a particle gets."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from hailridge.core.scene.moment import Moment
from hailridge.core.state.particles import Rows, number_of
from hailridge.model import fields
from hailridge.model.effect import ItemSeed
from hailridge.model.parts import Amount, Picking, Quantity

Picks = NDArray[np.int64]


class InOrder(Picking):
    title: ClassVar[str] = "in order of birth"
    rank: ClassVar[int] = 0
    sentence: ClassVar[str] = "in order of birth"
    help: ClassVar[str] = "The first born gets the first, the next the second, and after the last it begins again."

    kind: Literal["in_order"] = "in_order"

    def pick(self, moment: Moment, rows: Rows, number: int) -> Picks:
        return np.asarray(moment.column("birth_index")[rows], np.int64) % number


class AtRandom(Picking):
    title: ClassVar[str] = "at random"
    rank: ClassVar[int] = 1
    sentence: ClassVar[str] = "at random, {weights}"
    help: ClassVar[str] = (
        "Each particle draws one at birth and keeps it. All have equal chances, or chances in proportion to weights: *3 1* makes the first three "
        "times as frequent as the second. Those without a weight are never drawn."
    )

    kind: Literal["at_random"] = "at_random"
    weights: list[float] = fields.numbers([], label="Weights", optional="with equal chances")
    seed: ItemSeed = fields.number(0, low=0, high=2**31 - 1, whole=True, label="Seed")

    def faults(self, effect: Any) -> Iterator[tuple[str, str]]:
        if any(weight < 0 for weight in self.weights):
            yield "weights", "a chance cannot be less than nothing; weights have to be 0 or more"
        elif self.weights and not sum(self.weights) > 0:
            yield "weights", "all weights are 0, so none could ever be drawn"

    def pick(self, moment: Moment, rows: Rows, number: int) -> Picks:
        drawn = moment.uniforms(rows, self.item)[:, 0].astype(np.float64)
        weights = np.asarray(self.weights[:number], np.float64)
        if weights.sum() <= 0:
            # The draw is below 1 and exact in double precision, so the last comes up as often as any other.
            return np.asarray(drawn * number, np.int64)
        ends = np.cumsum(weights) / weights.sum()
        return np.searchsorted(ends[:-1], drawn, side="right").astype(np.int64)


class ByAge(Picking):
    title: ClassVar[str] = "one after another with age"
    rank: ClassVar[int] = 2
    sentence: ClassVar[str] = "one after another, a cycle in {cycle}[, beginning {start} in], {after}"
    help: ClassVar[str] = (
        "An animation: the particle shows all of them once in each cycle. *Beginning* later in the cycle, with a spread, keeps particles out of step "
        "with one another."
    )

    kind: Literal["by_age"] = "by_age"
    cycle: float = fields.number(1.0, unit="s", low=1e-3, high=1e5, soft=(0.1, 5), label="Cycle", still=True)
    start: Amount = fields.amount(0.0, unit="s", low=-1e5, high=1e5, soft=(0, 2), label="Beginning")
    after: Literal["again", "stay", "back"] = fields.choice(
        "again", {"again": "then again", "stay": "then the last one stays", "back": "then back and forth"}, label="After a cycle"
    )

    def pick(self, moment: Moment, rows: Rows, number: int) -> Picks:
        age = moment.column("age")[rows].astype(np.float64) + np.asarray(self.start.give(moment, rows), np.float64)
        # A hair's breadth more, so that an age that is a whole number of pictures shows the one that begins there.
        at = np.floor(age / self.cycle * number + 1e-5).astype(np.int64)
        if self.after == "again":
            return at % number
        if self.after == "stay" or number == 1:
            return at.clip(0, number - 1)
        turn = 2 * (number - 1)
        return np.minimum(at % turn, turn - at % turn)


class ByQuantity(Picking):
    title: ClassVar[str] = "by a quantity"
    rank: ClassVar[int] = 3
    sentence: ClassVar[str] = "from first to last as {quantity} goes from {start} to {end}"
    help: ClassVar[str] = "Cuts what lies between *from* and *to* into as many equal parts as there are drawings or forms."

    kind: Literal["by_quantity"] = "by_quantity"
    quantity: Quantity = fields.slot("quantity", {"kind": "life_fraction"}, label="Follows")
    start: float = fields.number(0.0, label="From", unit_from="quantity", suggest="lowest")
    end: float = fields.number(1.0, label="To", unit_from="quantity", suggest="highest")

    def faults(self, effect: Any) -> Iterator[tuple[str, str]]:
        if self.start == self.end and not (self.tracks.keys() & {"start", "end"}):
            yield "end", f"goes from {self.start:g} to {self.end:g}, so there is nothing between its ends"

    def pick(self, moment: Moment, rows: Rows, number: int) -> Picks:
        read = np.nan_to_num(np.asarray(self.quantity.read(moment, rows), np.float64))
        share = (read - self.start) / (self.end - self.start or 1e-9)
        return np.clip(np.floor(share * number), 0, number - 1).astype(np.int64)


class ByPictureNumber(Picking):
    title: ClassVar[str] = "by their picture number"
    rank: ClassVar[int] = 4
    sentence: ClassVar[str] = "by their picture number"
    help: ClassVar[str] = (
        "The attribute *picture*, which rules and sources set: 0 is the first. A number beyond the last begins again at the first."
    )

    kind: Literal["by_number"] = "by_number"

    def pick(self, moment: Moment, rows: Rows, number: int) -> Picks:
        return np.floor(moment.read_attribute("picture", rows).astype(np.float64)).astype(np.int64) % number


def picked(picking: Picking, moment: Moment, rows: Rows, number: int) -> NDArray[np.int16]:
    """Which of `number` each row gets, within bounds whatever a kind gives: (k,) int16."""
    if number < 2:
        return np.zeros(number_of(rows), np.int16)
    return np.asarray(picking.pick(moment, rows, number), np.int64).clip(0, number - 1).astype(np.int16)
