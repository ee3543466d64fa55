"""Writing attributes: set, add, multiply."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, ClassVar, Literal

import numpy as np

from hailridge.core.kinds.actions.weighted import Weighted, in_leaps
from hailridge.core.scene.moment import Moment
from hailridge.core.state.particles import Rows, as_factor
from hailridge.model import fields
from hailridge.model.parts import PASSING, Amount

PER_WORDS = {"second": "a second", "occasion": "at once"}


class Set(Weighted):
    title: ClassVar[str] = "set an attribute"
    also: ClassVar[str] = "change make become stop"
    leads: ClassVar[bool] = True
    sentence: ClassVar[str] = "set {attribute} to {amount}[, only in {where}]"
    category: ClassVar[str] = "Change"
    help: ClassVar[str] = "Gives the attribute a value at once, each time that the rule acts."

    kind: Literal["set"] = "set"
    attribute: str = fields.reference("attribute", label="Attribute")
    amount: Amount = fields.amount(1.0, label="To", value_from="attribute", suggest="middle")

    def act(self, moment: Moment, rows: Rows) -> None:
        self.write(moment, rows, self.attribute, np.asarray(self.amount.give(moment, rows), np.float32))


class Add(Weighted):
    title: ClassVar[str] = "add to an attribute"
    also: ClassVar[str] = "increase grow more decrease"
    sentence: ClassVar[str] = "add {amount} to {attribute} {per}[, only in {where}]"
    category: ClassVar[str] = "Change"
    help: ClassVar[str] = (
        "Adds to what is there. *A second*: spread over time, whatever the steps. *At once*: the whole amount each time that the rule "
        "acts; in a rule that acts at each step, that depends on the frame rate."
    )
    begins: ClassVar[dict[str, dict[str, Any]]] = {place: {"per": "occasion"} for place in PASSING}

    kind: Literal["add"] = "add"
    attribute: str = fields.reference("attribute", label="Attribute")
    amount: Amount = fields.amount(1.0, label="Add", value="change", value_from="attribute", suggest="part")
    per: Literal["second", "occasion"] = fields.choice("second", PER_WORDS, label="How")

    def faults(self, effect: Any) -> Iterator[tuple[str, str]]:
        if self.per == "second":
            yield from in_leaps(effect, self.attribute, "cannot grow little by little; add to it at once instead")

    def act(self, moment: Moment, rows: Rows) -> None:
        present = moment.read_attribute(self.attribute, rows)
        added = np.asarray(self.amount.give(moment, rows))
        share = self.share(moment, rows)
        if self.per == "second":
            share = share * moment.elapsed(rows)
        added = added * (as_factor(share) if present.ndim == 2 else share)
        moment.write_attribute(self.attribute, rows, present + added)


class Multiply(Weighted):
    title: ClassVar[str] = "multiply an attribute"
    also: ClassVar[str] = "scale grow shrink times"
    sentence: ClassVar[str] = "multiply {attribute} by {factor} {per}[, only in {where}]"
    category: ClassVar[str] = "Change"
    help: ClassVar[str] = (
        "*A second*: 0.5 leaves half after a second, a quarter after two, whatever the steps. *At once*: each time that the rule acts."
    )
    begins: ClassVar[dict[str, dict[str, Any]]] = {place: {"per": "occasion"} for place in PASSING}

    kind: Literal["multiply"] = "multiply"
    attribute: str = fields.reference("attribute", label="Attribute")
    factor: Amount = fields.amount(0.5, soft=(0, 2), label="By")
    per: Literal["second", "occasion"] = fields.choice("second", PER_WORDS, label="How")

    def act(self, moment: Moment, rows: Rows) -> None:
        factor = np.asarray(self.factor.give(moment, rows), np.float32)
        present = moment.read_attribute(self.attribute, rows)
        # Half of the strength is half of the way from leaving it alone, as a ratio; so is half of a second.
        power = self.share(moment, rows)
        if self.per == "second":
            power = power * moment.elapsed(rows)
        if factor.ndim == 2:
            power = as_factor(power)
        factor = np.sign(factor) * np.abs(factor) ** power
        if present.ndim == 2 and factor.ndim == 1:
            factor = factor[:, None]
        moment.write_attribute(self.attribute, rows, present * factor)
