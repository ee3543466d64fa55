"""Acting on those whom a neighbourhood finds: moving them, giving them something, taking something from them."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from hailridge.core.kinds.actions.weighted import in_leaps
from hailridge.core.scene.around import MEAN, around, one
from hailridge.core.scene.claims import claimed
from hailridge.core.scene.moment import Moment
from hailridge.core.state.particles import FOREVER_AGO, Rows, as_factor, as_indices, number_of, taken
from hailridge.model import fields
from hailridge.model.attributes import AttributeInfo, Table, remembered
from hailridge.model.parts import LIVING, Action, Place

WHOM_WORDS = {"all": "all", "nearest": "the nearest", "furthest": "the furthest"}
FROM_WORDS = {"mean": "the mean of all", "nearest": "the nearest", "furthest": "the furthest"}

CLAIMS = "Where several find the same one, it belongs to the nearest of them; of two equally near, to the one with the lower number."


class OnThoseFound(Action):
    """What all actions on those found share."""

    category: ClassVar[str] = "Neighbours"
    places: ClassVar[tuple[Place, ...]] = LIVING

    neighbourhood: str = fields.reference("neighbourhood", label="Neighbourhood")


class MoveFound(OnThoseFound):
    title: ClassVar[str] = "move those found"
    also: ClassVar[str] = "catch tag collect find infect others neighbours"
    rank: ClassVar[int] = 1
    sentence: ClassVar[str] = "move {whom} found by {neighbourhood} to {group}[, one every {pause}]"
    help: ClassVar[str] = (
        "Those whom the particle finds change group: all of them, or only the nearest or the furthest at each step. With *one every*, it takes one, "
        f"then waits, until nobody is left. {CLAIMS}"
    )

    kind: Literal["move_found"] = "move_found"
    whom: Literal["all", "nearest", "furthest"] = fields.choice("all", WHOM_WORDS, label="Whom")
    group: str = fields.reference("group", label="Group")
    pause: float = fields.number(
        0.0, unit="s", low=0, high=1e4, soft=(0, 2), label="One every", help="0 s: at each step. Goes with the nearest or the furthest."
    )

    def faults(self, effect: Any) -> Iterator[tuple[str, str]]:
        if self.whom == "all" and max(self.all_values("pause")) > 0:
            yield "pause", "a pause goes with moving one: choose the nearest or the furthest"

    def asks_around(self) -> Iterator[tuple[str, str]]:
        if self.whom != "all":
            yield self.neighbourhood, one(self.whom)

    @property
    def _took(self) -> str:
        return f"{self.address} took"

    def remembers(self, attributes: Table) -> Iterator[AttributeInfo]:
        if max(self.all_values("pause")) > 0:
            yield remembered(self._took, "number", float(FOREVER_AGO))

    def act(self, moment: Moment, rows: Rows) -> None:
        pausing = self.pause > 0 and moment.particles.has(self._took)
        if pausing:
            # Met to the nearest step, as all times that run on.
            waited = np.float32(moment.time) - moment.column(self._took)[rows] + np.float32(moment.dt / 2)
            rows = as_indices(rows)[waited >= np.float32(self.pause)]
        found, seekers = claimed(moment, self.neighbourhood, rows, self.whom)
        if pausing:
            moment.column(self._took)[seekers] = moment.time
        moment.move_to_group(found, self.group)


class HandOver(OnThoseFound):
    """Giving or taking an attribute, at once or little by little."""

    attribute: str = fields.reference("attribute", label="Attribute")
    half_life: float = fields.number(
        0.0, unit="s", low=0, high=1e4, soft=(0, 2), label="Halving every", per_frame="halving",
        help="In this time half of the difference goes; 0 s: all of it at once.",
    )  # fmt: skip

    def faults(self, effect: Any) -> Iterator[tuple[str, str]]:
        if max(self.all_values("half_life")) > 0:
            yield from in_leaps(effect, self.attribute, "cannot be handed over little by little; do it at once instead")

    def hand(self, moment: Moment, rows: Rows, value: NDArray[Any]) -> None:
        """Give an attribute a value (k,) or (k, 3), or go the part of the way that belongs to this step."""
        if self.half_life > 0:
            present = moment.read_attribute(self.attribute, rows)
            kept = np.asarray(0.5 ** (np.asarray(moment.elapsed(rows), np.float64) / self.half_life), np.float32)
            value = value + (present - value) * (as_factor(kept) if present.ndim == 2 else kept)
        moment.write_attribute(self.attribute, rows, value)


class TakeFrom(HandOver):
    title: ClassVar[str] = "take from those found"
    also: ClassVar[str] = "mix blend copy colour average neighbours inherit absorb smooth"
    rank: ClassVar[int] = 2
    sentence: ClassVar[str] = "take {attribute} of {whom} found by {neighbourhood}[, halving the difference every {half_life}]"
    help: ClassVar[str] = (
        "The particle takes on an attribute of those whom it finds: their mean, or that of the nearest or the furthest. At once it is *taken*, as "
        "when something hits; with a time it *mixes*, and streams of two colours turn into one where they mingle. All of them read what the others "
        "were before any of them changed. Whoever finds nobody keeps its own."
    )

    begins: ClassVar[dict[str, dict[str, Any]]] = {"": {"attribute": "color"}}

    kind: Literal["take_from"] = "take_from"
    attribute: str = fields.reference("attribute", label="Attribute")
    whom: Literal["mean", "nearest", "furthest"] = fields.choice("mean", FROM_WORDS, label="Of whom")

    def asks_around(self) -> Iterator[tuple[str, str]]:
        yield self.neighbourhood, self._wanted

    @property
    def _wanted(self) -> str:
        return f"{MEAN} {self.attribute}" if self.whom == "mean" else one(self.whom)

    def act(self, moment: Moment, rows: Rows) -> None:
        answers = around(moment, self.neighbourhood, self._wanted)
        if self.whom == "mean":
            finding = as_indices(rows)[taken(answers.counts, rows) > 0]
            value = answers.means[self.attribute].take(finding, axis=0)
        else:
            chosen = answers.furthest_rows if self.whom == "furthest" else answers.rows[:, 0]
            finding = as_indices(rows)[taken(chosen, rows) >= 0]
            value = moment.read_attribute(self.attribute, chosen[finding])
        if len(finding):
            self.hand(moment, finding, value)


class GiveTo(HandOver):
    title: ClassVar[str] = "give to those found"
    also: ClassVar[str] = "spread infect share hand on colour others neighbours"
    rank: ClassVar[int] = 3
    sentence: ClassVar[str] = "give its {attribute} to {whom} found by {neighbourhood}[, halving the difference every {half_life}]"
    help: ClassVar[str] = (
        "Those whom the particle finds take on an attribute of its own, at once or little by little. "
        f"{CLAIMS}"
    )  # fmt: skip

    begins: ClassVar[dict[str, dict[str, Any]]] = {"": {"attribute": "color"}}

    kind: Literal["give_to"] = "give_to"
    attribute: str = fields.reference("attribute", label="Attribute")
    whom: Literal["all", "nearest", "furthest"] = fields.choice("all", WHOM_WORDS, label="To whom")

    def asks_around(self) -> Iterator[tuple[str, str]]:
        if self.whom != "all":
            yield self.neighbourhood, one(self.whom)

    def act(self, moment: Moment, rows: Rows) -> None:
        if not number_of(rows):
            return
        found, seekers = claimed(moment, self.neighbourhood, rows, self.whom)
        if len(found):
            self.hand(moment, found, moment.read_attribute(self.attribute, seekers))
