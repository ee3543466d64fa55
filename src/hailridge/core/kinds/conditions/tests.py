"""Single tests: a quantity against an amount, a range, a fact, or chance."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, ClassVar, Literal

import numpy as np

from hailridge.core.scene.moment import Moment
from hailridge.core.state.particles import Rows
from hailridge.model import fields
from hailridge.model.attributes import AttributeInfo, Table, remembered
from hailridge.model.effect import ItemSeed
from hailridge.model.parts import Amount, Condition, Quantity

COMPARISONS = {"above": "passes", "at_least": "is at least", "below": "is under", "at_most": "is at most", "equal": "equals"}


def _no_number(quantity: Quantity) -> Iterator[tuple[str, str]]:
    if quantity.value_type == "flag":
        yield "quantity", f"'{quantity.title}' is a fact, not a number; use 'something is so' instead of a threshold"


def met(read: Any, comparison: str, threshold: Any, half: Any) -> Any:
    """Compare what runs on with time: a moment between two steps is met at the nearer one, so that delays are neither late nor early on average.

    `half` is half a step (s).
    """
    reached = read + half >= threshold
    match comparison:
        case "above" | "at_least":
            return reached
        case "below":
            return ~reached
        case "at_most":
            return read - half < threshold
        case _:
            return reached & (read - half < threshold)


class Bounded(Condition):
    """A quantity held against bounds; what has begun to hold may let go only some way beyond them."""

    facts_as: ClassVar[str] = "holds"
    category: ClassVar[str] = "Test"

    quantity: Quantity = fields.slot("quantity", {"kind": "age"}, label="Quantity")
    margin: float = fields.number(
        0.0, low=0, high=1e9, soft=(0, 1), label="Let go further back by", unit_from="quantity", suggest="none",
        help="A second threshold against flicker: it begins at the first and ends only this far back. 0: it ends where it begins.",
    )  # fmt: skip

    def faults(self, effect: Any) -> Iterator[tuple[str, str]]:
        yield from _no_number(self.quantity)

    @property
    def _held(self) -> str:
        return f"{self.address} held"

    def remembers(self, attributes: Table) -> Iterator[AttributeInfo]:
        if max(self.all_values("margin")) > 0:
            yield remembered(self._held, "flag")

    def holds(self, moment: Moment, rows: Rows) -> Any:
        read, bounds = self.quantity.read(moment, rows), self._bounds(moment, rows)
        now = self._within(moment, read, bounds, np.float32(0))
        if self.margin > 0 and moment.particles.has(self._held):
            # Whom it held for before it lets go later. It is asked more than once in a step, with the same outcome as long as nothing else is.
            column = moment.column(self._held)
            now = now | ((column[rows] != 0) & self._within(moment, read, bounds, np.float32(self.margin)))
            column[rows] = now
        return now

    def _bounds(self, moment: Moment, rows: Rows) -> tuple[Any, ...]:
        """What the quantity is held against."""
        raise NotImplementedError

    def _within(self, moment: Moment, read: Any, bounds: tuple[Any, ...], wider: Any) -> Any:
        """Whether what was read (k,) passes with the bounds moved outward by `wider`: (k,)."""
        raise NotImplementedError


class Compare(Bounded):
    title: ClassVar[str] = "compare a quantity"
    also: ClassVar[str] = "greater less above below threshold if when"
    rank: ClassVar[int] = 0
    sentence: ClassVar[str] = "{quantity} {comparison} {threshold}[, let go {margin} further back]"
    help: ClassVar[str] = (
        "Reads a quantity of the particle and holds it against a threshold. The threshold can vary from particle to particle: open it "
        "and choose how, *± spread* for one. Times that run on (age, time in its group, time since) are met to the nearest step. *Let go further "
        "back*: once it holds, it goes on to hold until the quantity is that far on the other side, so that nothing flickers around it."
    )

    kind: Literal["compare"] = "compare"
    comparison: Literal["above", "at_least", "below", "at_most", "equal"] = fields.choice("above", COMPARISONS, label="Comparison")
    threshold: Amount = fields.amount(1.0, label="Threshold", value_from="quantity", suggest="middle")

    def faults(self, effect: Any) -> Iterator[tuple[str, str]]:
        yield from super().faults(effect)
        if self.comparison == "equal" and max(self.all_values("margin")) > 0:
            yield "margin", "nothing lies further back from being equal; compare with passes or is under"

    def _bounds(self, moment: Moment, rows: Rows) -> tuple[Any, ...]:
        return (self.threshold.give(moment, rows),)

    def _within(self, moment: Moment, read: Any, bounds: tuple[Any, ...], wider: Any) -> Any:
        threshold = bounds[0] + (-wider if self.comparison in ("above", "at_least") else wider) if wider else bounds[0]
        if self.quantity.runs:
            return met(read, self.comparison, threshold, np.float32(moment.dt / 2))
        match self.comparison:
            case "above":
                return read > threshold
            case "at_least":
                return read >= threshold
            case "below":
                return read < threshold
            case "at_most":
                return read <= threshold
            case _:
                return np.isclose(read, threshold, rtol=1e-5, atol=1e-6)


class Between(Bounded):
    title: ClassVar[str] = "between two values"
    also: ClassVar[str] = "range from to"
    rank: ClassVar[int] = 1
    sentence: ClassVar[str] = "{quantity} is between {low} and {high}[, let go {margin} outside]"
    help: ClassVar[str] = (
        "Holds while the quantity is at least the first value and at most the second. *Let go further back*: once it holds, it goes on to hold "
        "until the quantity is that far outside, on either side."
    )

    kind: Literal["between"] = "between"
    low: Amount = fields.amount(0.5, label="From", value_from="quantity", suggest="lower")
    high: Amount = fields.amount(1.0, label="To", value_from="quantity", suggest="upper")

    def _bounds(self, moment: Moment, rows: Rows) -> tuple[Any, ...]:
        return self.low.give(moment, rows), self.high.give(moment, rows)

    def _within(self, moment: Moment, read: Any, bounds: tuple[Any, ...], wider: Any) -> Any:
        low, high = (bounds[0] - wider, bounds[1] + wider) if wider else bounds
        if self.quantity.runs:
            half = np.float32(moment.dt / 2)
            return met(read, "at_least", low, half) & met(read, "at_most", high, half)
        return (read >= low) & (read <= high)


class Holds(Condition):
    title: ClassVar[str] = "something is so"
    also: ClassVar[str] = "is so yes flag"
    leads: ClassVar[bool] = True
    rank: ClassVar[int] = 2
    sentence: ClassVar[str] = "{quantity}"
    category: ClassVar[str] = "Test"
    help: ClassVar[str] = "Holds while a fact about the particle is true, such as *it touches the roof*. Numbers count as true above one half."

    kind: Literal["holds"] = "holds"
    quantity: Quantity = fields.slot("quantity", {"kind": "touching", "shape": None}, label="Fact")

    def holds(self, moment: Moment, rows: Rows) -> Any:
        read = self.quantity.read(moment, rows)
        return read if read.dtype == np.bool_ else read > 0.5


class Chance(Condition):
    title: ClassVar[str] = "by chance"
    also: ClassVar[str] = "random percent sometimes probability"
    rank: ClassVar[int] = 3
    sentence: ClassVar[str] = "a chance of {probability} {per}"
    category: ClassVar[str] = "Test"
    help: ClassVar[str] = (
        "*Per particle*: decided once; that share of all particles passes, always the same ones. *Per second*: as an event that comes that "
        "often in a second, however many steps a second has. *Per occasion*: decided anew whenever the rule looks, such as at each contact. "
        "The chance can vary: let it follow a field, and the field says how likely something is at each place."
    )

    kind: Literal["chance"] = "chance"
    probability: Amount = fields.amount(0.5, low=0, high=1, soft=(0, 1), unit="share", label="Chance")
    per: Literal["particle", "second", "occasion"] = fields.choice(
        "particle", {"particle": "per particle", "second": "per second", "occasion": "per occasion"}, label="Decided"
    )
    seed: ItemSeed = fields.number(0, low=0, high=2**31 - 1, whole=True, label="Seed")

    def holds(self, moment: Moment, rows: Rows) -> Any:
        draw = 0 if self.per == "particle" else moment.step + 1
        probability = np.asarray(self.probability.give(moment, rows), np.float64)
        if self.per == "second":
            # Constant hazard: the chance over a second is the same for any number of steps in it.
            probability = 1.0 - (1.0 - np.clip(probability, 0.0, 1.0)) ** np.asarray(moment.elapsed(rows), np.float64)
        return moment.uniforms(rows, self.item, draw)[:, 0] < probability.astype(np.float32)
