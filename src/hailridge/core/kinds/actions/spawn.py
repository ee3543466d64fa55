"""Giving birth: on an occasion, as a stream, along the way; and leaving marks."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from hailridge.core.scene.around import WAYS, around
from hailridge.core.scene.buffers import Litter, Shares
from hailridge.core.scene.moment import Moment
from hailridge.core.state.particles import Rows, as_indices, lengths, number_of, taken
from hailridge.model import fields
from hailridge.model.attributes import AttributeInfo, Table, remembered
from hailridge.model.parts import LASTING, Action, Amount, Handing, Place

PACES = {"occasion": "each time", "second": "a second", "metre": "a metre of its way"}
"""When a rule's children come: all at once whenever it acts, or spread over time or along the way of each parent for as long as it holds."""

PARENTS = {"removed": "removing the parent", "kept": "keeping the parent"}

MOST_CHILDREN = 1e7
"""Of one parent at a time: more than any budget."""

BORN = {"there": "where it is", "surface": "on its surface", "place": "at"}

HEADINGS = {"motion": "along its motion", "surface": "away from the surface", "up": "upward", "any": "any way", "target": "toward"}


class Spawn(Action):
    title: ClassVar[str] = "give birth"
    also: ClassVar[str] = "split birth emit children divide shatter burst"
    sentence: ClassVar[str] = (
        "split into {count} {group}[ {per}], {parent}[, in the middle of those found by {at}][, born {born}][ {place}], "
        "thrown {speed} {heading}[ {target}][ within {cone}]"
        "[, around it by {around}], radius {radius}, "
        "living {lifetime}[, {color}][, handing on {inherit_velocity} of its motion][, {inherit_color} of its colour]"
        "[, {inherit_radius} of its radius][, {inherit_life} of its remaining life]"
    )
    category: ClassVar[str] = "Population"
    help: ClassVar[str] = (
        "Brings children into being where the particle is. Of a number that is not whole, the rest is a chance: 0.05 gives birth to one in "
        "twenty. *A second*: a stream from each parent, spread evenly over time and along its way. *A metre of its way*: at even distances. Each "
        "percentage says how much of the child's first value comes from the parent, the rest from the amount given here. Children meet the rules "
        "from the next step on; they begin with a clean memory, so nothing that the parent had already set off happens to them by mistake."
    )
    # Where nothing says when, two in the place of one at each step would be a thousand after ten; with a condition it is a division.
    begins: ClassVar[dict[str, dict[str, Any]]] = {"always": {"parent": "kept", "per": "second"}}
    gives_birth: ClassVar[bool] = True
    still: ClassVar[bool] = False
    """Whether nothing moves its children."""

    kind: Literal["spawn"] = "spawn"
    count: Amount = fields.amount(2.0, low=0, high=10_000, soft=(1, 50), label="How many")
    per: Literal["occasion", "second", "metre"] = fields.choice("occasion", PACES, label="How often")
    group: str = fields.reference("group", label="Group")
    parent: Literal["removed", "kept"] = fields.choice("removed", PARENTS, label="Parent")
    speed: Amount = fields.amount(1.0, unit="m/s", low=0, high=10_000, soft=(0, 10), label="Added speed")
    heading: Literal["motion", "surface", "up", "any", "target"] = fields.choice(
        "motion", HEADINGS, label="Heading", help="Along its motion: the children of one that stands still fly off any way.",
    )  # fmt: skip
    target: str | None = fields.reference(
        "shape", label="Target", optional="no shape", help="For a heading toward something: its nearest place. Move it, and all children aim anew.",
    )  # fmt: skip
    cone: float = fields.number(40.0, unit="deg", low=0, high=180, soft=(0, 180), label="Within a cone of")
    around: Amount = fields.amount(0.0, unit="m", low=0, high=100, soft=(0, 1), label="Around it by")
    radius: Amount = fields.amount(0.03, unit="m", low=0, high=1000, soft=(0.005, 0.5), label="Radius")
    lifetime: Amount = fields.amount(2.0, unit="s", low=0, high=1e9, soft=(0.1, 20), label="Lifetime")
    color: Amount = fields.amount([0.85, 0.92, 0.95], value="color", low=0, high=1, label="Colour")
    at: str | None = fields.reference(
        "neighbourhood", label="Born in the middle of those found by", optional="no neighbourhood: where it is",
        help="Whoever finds nobody gives no birth.",
    )  # fmt: skip
    born: Literal["there", "surface", "place"] = fields.choice(
        "there", BORN, label="Born", renews=True,
        help="On its surface: on the side toward which the child is thrown, as far from its middle as the parent's radius.",
    )  # fmt: skip
    place: Amount = fields.amount([0.0, 0.0, 0.0], value="vector", unit="m", label="Place", help="In the world, read of the parent.")
    inherit_velocity: float = fields.number(0.0, unit="percent", low=-200, high=200, soft=(0, 100), label="Of its motion")
    inherit_color: float = fields.number(0.0, unit="percent", low=0, high=100, soft=(0, 100), label="Of its colour")
    inherit_radius: float = fields.number(0.0, unit="percent", low=0, high=100, soft=(0, 100), label="Of its radius")
    inherit_life: float = fields.number(0.0, unit="percent", low=0, high=100, soft=(0, 100), label="Of its remaining life")
    hands: list[Handing] = fields.slot("handing", many=True, label="Handed on")

    @classmethod
    def renewed(cls, raw: dict[str, Any]) -> dict[str, Any]:
        """A place to begin with where children are born at one."""
        return raw | {"place": {"kind": "fixed", "value": [0.0, 1.0, 0.0] if raw.get("born") == "place" else [0.0, 0.0, 0.0]}}

    def asks_around(self) -> Iterator[tuple[str, str]]:
        if self.at is not None:
            yield self.at, WAYS

    def faults(self, effect: Any) -> Iterator[tuple[str, str]]:
        if self.heading == "target" and self.target is None:
            yield "target", "its children are thrown toward no shape; choose one as their target"
        if self.born == "place" and self.at is not None:
            yield "place", "children are born either in the middle of those found or at a place of their own, not both"
        named = [getattr(handing, "attribute", getattr(handing, "rule", handing.kind)) for handing in self.hands]  # type: ignore[attr-defined]
        if len(set(named)) < len(named):
            yield "hands", "something is handed on twice; the last of them would count"

    @property
    def stands(self) -> tuple[Place, ...]:
        return self.places if self.per == "occasion" else LASTING

    @property
    def along_the_way(self) -> bool:
        return self.per != "occasion"

    def remembers(self, attributes: Table) -> Iterator[AttributeInfo]:
        """How far each is on the way to its next child."""
        if self.per != "occasion":
            yield remembered(f"{self.address} due", "number")

    def act(self, moment: Moment, rows: Rows) -> None:
        ways = None
        if self.at is not None:
            answers = around(moment, self.at, WAYS)
            rows = as_indices(rows)[taken(answers.counts, rows) > 0]
            ways = answers.ways.take(rows, axis=0)
        if self.per == "occasion":
            counts, shares = self._at_once(moment, rows), None
        else:
            counts, shares = self._along(moment, as_indices(rows))
        axes = moment.surface_at(rows) if self.heading == "surface" else None
        litter = Litter(as_indices(rows), counts, self, moment.actor, axes, ways, shares)
        moment.buffers.litters.append(litter)
        if self.parent == "removed":
            # Of a stream, the first child takes its parent's place.
            leaving = litter.parents if shares is None else litter.parents[counts > 0]
            litter.removed = leaving[~moment.doomed[leaving]]
            moment.doom(leaving)

    def _at_once(self, moment: Moment, rows: Rows) -> NDArray[np.int64]:
        """How many children each has now: (k,); of a number that is not whole, the rest is a chance."""
        wanted = self._wanted(moment, rows)
        whole = np.floor(wanted)
        if (whole != wanted).any():
            whole += moment.uniforms(rows, self.item, moment.step + 1)[:, 0] < wanted - whole
        return whole.astype(np.int64)

    def _along(self, moment: Moment, rows: NDArray[np.intp]) -> tuple[NDArray[np.int64], Shares]:
        """How many children each has in this step (k,), and where on its way.

        The n-th child is due when n − ½ have added up, so that their number does not depend on the length of a step.
        """
        wanted = self._wanted(moment, rows)
        if self.per == "second":
            amounts = wanted * np.asarray(moment.elapsed(rows), np.float64)
        else:
            amounts = wanted * lengths(moment.column("position")[rows] - moment.places_at_start(rows))
        name = f"{self.address} due"
        left = moment.column(name)[rows].astype(np.float64)
        counts = np.floor(left + amounts + 0.5)
        moment.column(name)[rows] = left + amounts - counts
        return counts.astype(np.int64), Shares(left, amounts)

    def _wanted(self, moment: Moment, rows: Rows) -> NDArray[np.float64]:
        """How many children each is to have, or a second or metre: (k,), none where that is below 0 or no number."""
        wanted = np.nan_to_num(np.asarray(self.count.give(moment, rows), np.float64), nan=0.0)
        return np.broadcast_to(np.clip(wanted, 0, MOST_CHILDREN), (number_of(rows),))


class LeaveMarks(Spawn):
    title: ClassVar[str] = "leave marks"
    also: ClassVar[str] = "trail trace track dots footprints draw line branch behind stationary"
    sentence: ClassVar[str] = (
        "leave {count} {group} {per}[, {parent}][, in the middle of those found by {at}][, born {born}][ {place}]"
        "[, thrown {speed} {heading}][ {target}][ within {cone}]"
        "[, around it by {around}], radius {radius}, living {lifetime}[, {color}], with {inherit_life} of its remaining life"
        "[, handing on {inherit_velocity} of its motion][, {inherit_color} of its colour][, {inherit_radius} of its radius]"
    )
    help: ClassVar[str] = (
        "Particles that stay behind on the way where nothing moves them, no force of any rule: at even distances (*a metre of its way*) or times "
        "(*a second*), whatever the frame rate, a figure that draws itself. Their life is partly what is given here, partly what the parent has "
        "left, so that a branching figure vanishes limb by limb."
    )
    still: ClassVar[bool] = True
    begins: ClassVar[dict[str, dict[str, Any]]] = {}
    places: ClassVar[tuple[Place, ...]] = LASTING

    kind: Literal["mark"] = "mark"  # type: ignore[assignment]
    count: Amount = fields.amount(20.0, low=0, high=10_000, soft=(1, 100), label="How many")
    per: Literal["occasion", "second", "metre"] = fields.choice("metre", PACES, label="How often")
    group: str = fields.reference("group", label="Group", makes={"label": "Marks"})
    parent: Literal["removed", "kept"] = fields.choice("kept", PARENTS, label="Parent")
    speed: Amount = fields.amount(0.0, unit="m/s", low=0, high=10_000, soft=(0, 10), label="Added speed")
    radius: Amount = fields.amount(0.015, unit="m", low=0, high=1000, soft=(0.005, 0.5), label="Radius")
    inherit_color: float = fields.number(100.0, unit="percent", low=0, high=100, soft=(0, 100), label="Of its colour")
    inherit_life: float = fields.number(50.0, unit="percent", low=0, high=100, soft=(0, 100), label="Of its remaining life")

    def needs(self) -> tuple[str, ...]:
        return ("held",)
