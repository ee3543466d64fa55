"""Changing group, leaving, giving birth."""

from __future__ import annotations

from collections.abc import Iterator
from typing import ClassVar, Literal

import numpy as np

from hailridge.core.scene.around import WAYS, around
from hailridge.core.scene.buffers import Litter
from hailridge.core.scene.moment import Moment
from hailridge.core.state.particles import Rows, as_indices, number_of, taken
from hailridge.model import fields
from hailridge.model.attributes import memory_of_rule
from hailridge.model.kind import RuleMemory
from hailridge.model.parts import LIVING, Action, Amount, Place

HEADINGS = {"motion": "along its motion", "surface": "away from the surface", "up": "upward", "any": "any way"}


class Move(Action):
    title: ClassVar[str] = "move to a group"
    also: ClassVar[str] = "turn into change state become another"
    sentence: ClassVar[str] = "move to {group}"
    category: ClassVar[str] = "Population"
    help: ClassVar[str] = "The particle leaves its group and joins this one; the time in its group starts anew."
    places: ClassVar[tuple[Place, ...]] = LIVING

    kind: Literal["move"] = "move"
    group: str = fields.reference("group", label="Group")

    def act(self, moment: Moment, rows: Rows) -> None:
        moment.move_to_group(rows, self.group)


class MoveBack(Action):
    title: ClassVar[str] = "move back"
    also: ClassVar[str] = "return state before"
    sentence: ClassVar[str] = "move back to the group it came from"
    category: ClassVar[str] = "Population"
    help: ClassVar[str] = "The particle returns to the group that it was in before its latest move; one that has never moved stays where it is."
    places: ClassVar[tuple[Place, ...]] = LIVING

    kind: Literal["move_back"] = "move_back"

    def needs(self) -> tuple[str, ...]:
        return ("came_from",)

    def act(self, moment: Moment, rows: Rows) -> None:
        indices = as_indices(rows)
        before = moment.column("came_from")[indices]
        groups = list(moment.scene.group_index)
        for target in np.unique(before[before >= 0]):
            moment.move_to_group(indices[before == target], groups[target])


class LiveOn(Action):
    title: ClassVar[str] = "live on for a time"
    also: ClassVar[str] = "lifetime survive longer die later"
    sentence: ClassVar[str] = "live for {time} from now on, {age}"
    category: ClassVar[str] = "Population"
    help: ClassVar[str] = (
        "A new lease of life: the particle leaves exactly this long from now. *Its age set back*: age begins again at 0, so that curves over "
        "life run anew; *its age going on* leaves it. Age and lifetime are set together, so there is no order to get wrong."
    )
    places: ClassVar[tuple[Place, ...]] = LIVING

    kind: Literal["live_on"] = "live_on"
    time: Amount = fields.amount(2.0, unit="s", low=0, high=100_000, soft=(0.1, 10), label="For")
    age: Literal["back", "on"] = fields.choice("back", {"back": "its age set back", "on": "its age going on"}, label="Age")

    def act(self, moment: Moment, rows: Rows) -> None:
        left = np.broadcast_to(np.asarray(self.time.give(moment, rows), np.float32), (number_of(rows),))
        if self.age == "back":
            moment.write_attribute("age", rows, np.zeros(number_of(rows), np.float32))
        moment.write_attribute("lifetime", rows, moment.column("age")[rows] + left)


class Switch(Action):
    title: ClassVar[str] = "switch a rule"
    also: ClassVar[str] = "turn on off enable start stop rule"
    sentence: ClassVar[str] = "switch {rule} {on} for it"
    category: ClassVar[str] = "Population"
    help: ClassVar[str] = (
        "From now on that rule acts on this particle, or no longer does: a way to switch a force on by an event. A rule set to *waits until "
        "switched on* begins switched off for everybody."
    )
    places: ClassVar[tuple[Place, ...]] = LIVING

    kind: Literal["switch"] = "switch"
    rule: str = fields.reference("rule", label="Rule")
    on: bool = fields.flag(True, label="Switch it", yes="on", no="off")

    def asks_of_rules(self) -> Iterator[tuple[RuleMemory, str]]:
        yield "off", self.rule

    def act(self, moment: Moment, rows: Rows) -> None:
        name = memory_of_rule(self.rule, "off")
        if moment.particles.has(name):
            moment.column(name)[rows] = 0 if self.on else 1


class Remove(Action):
    title: ClassVar[str] = "remove"
    also: ClassVar[str] = "die kill delete vanish disappear"
    sentence: ClassVar[str] = "remove it"
    category: ClassVar[str] = "Population"
    help: ClassVar[str] = "The particle leaves the effect at once. Rules further down no longer see it."
    places: ClassVar[tuple[Place, ...]] = LIVING

    kind: Literal["remove"] = "remove"

    def act(self, moment: Moment, rows: Rows) -> None:
        moment.doom(rows)


class Spawn(Action):
    title: ClassVar[str] = "give birth"
    also: ClassVar[str] = "split birth emit children divide shatter burst"
    sentence: ClassVar[str] = (
        "split into {count} {group}, {parent}[, in the middle of those found by {at}], thrown {speed} {heading}[ within {cone}]"
        "[, around it by {around}], radius {radius}, "
        "living {lifetime}[, {color}][, handing on {inherit_velocity} of its motion][, {inherit_color} of its colour]"
        "[, {inherit_radius} of its radius][, {inherit_life} of its remaining life]"
    )
    category: ClassVar[str] = "Population"
    help: ClassVar[str] = (
        "Brings children into being where the particle is. Each percentage says how much of the child's first value comes from the "
        "parent, the rest from the amount given here. Children meet the rules from the next step on; they begin with a clean memory, so "
        "nothing that the parent had already set off happens to them by mistake."
    )
    gives_birth: ClassVar[bool] = True

    kind: Literal["spawn"] = "spawn"
    count: Amount = fields.amount(2.0, low=0, high=10_000, soft=(1, 50), label="How many")
    group: str = fields.reference("group", label="Group")
    parent: Literal["removed", "kept"] = fields.choice("removed", {"removed": "removing the parent", "kept": "keeping the parent"}, label="Parent")
    speed: Amount = fields.amount(1.0, unit="m/s", low=0, high=10_000, soft=(0, 10), label="Added speed")
    heading: Literal["motion", "surface", "up", "any"] = fields.choice("motion", HEADINGS, label="Heading")
    cone: float = fields.number(40.0, unit="deg", low=0, high=180, soft=(0, 180), label="Within a cone of")
    around: Amount = fields.amount(0.0, unit="m", low=0, high=100, soft=(0, 1), label="Around it by")
    radius: Amount = fields.amount(0.03, unit="m", low=0, high=1000, soft=(0.005, 0.5), label="Radius")
    lifetime: Amount = fields.amount(2.0, unit="s", low=0, high=100_000, soft=(0.1, 20), label="Lifetime")
    color: Amount = fields.amount([0.85, 0.92, 0.95], value="color", low=0, high=1, label="Colour")
    at: str | None = fields.reference(
        "neighbourhood", label="Born in the middle of those found by", optional="no neighbourhood: where it is",
        help="Whoever finds nobody gives no birth.",
    )  # fmt: skip
    inherit_velocity: float = fields.number(0.0, unit="percent", low=-200, high=200, soft=(0, 100), label="Of its motion")
    inherit_color: float = fields.number(0.0, unit="percent", low=0, high=100, soft=(0, 100), label="Of its colour")
    inherit_radius: float = fields.number(0.0, unit="percent", low=0, high=100, soft=(0, 100), label="Of its radius")
    inherit_life: float = fields.number(0.0, unit="percent", low=0, high=100, soft=(0, 100), label="Of its remaining life")

    def asks_around(self) -> Iterator[tuple[str, str]]:
        if self.at is not None:
            yield self.at, WAYS

    def act(self, moment: Moment, rows: Rows) -> None:
        ways = None
        if self.at is not None:
            answers = around(moment, self.at, WAYS)
            rows = as_indices(rows)[taken(answers.counts, rows) > 0]
            ways = answers.ways.take(rows, axis=0)
        counts = np.broadcast_to(np.rint(self.count.give(moment, rows)).astype(np.int64), (number_of(rows),))
        axes = moment.surface_at(rows) if self.heading == "surface" else None
        moment.buffers.litters.append(Litter(as_indices(rows), counts, self, moment.actor, axes, ways))
        if self.parent == "removed":
            moment.doom(rows)
