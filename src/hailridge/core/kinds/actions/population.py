"""Changing group, living on, leaving, new random numbers."""

from __future__ import annotations

from collections.abc import Iterator
from typing import ClassVar, Literal

import numpy as np

from hailridge.core.kernels import memory as kernel
from hailridge.core.scene.moment import Moment
from hailridge.core.state.particles import Rows, as_indices, number_of
from hailridge.core.state.randomness import child_keys, item_number
from hailridge.model import fields
from hailridge.model.attributes import memory_of_rule
from hailridge.model.kind import RuleMemory
from hailridge.model.parts import LIVING, Action, Amount, Place

NEW_NUMBERS = item_number("new random numbers")


class Move(Action):
    title: ClassVar[str] = "move to a group"
    also: ClassVar[str] = "turn into change state become another"
    sentence: ClassVar[str] = "move to {group}"
    category: ClassVar[str] = "Population"
    help: ClassVar[str] = "The particle leaves its group and joins this one; the time in its group starts anew."
    places: ClassVar[tuple[Place, ...]] = LIVING

    kind: Literal["move"] = "move"
    group: str = fields.reference("group", label="Group", other=True)

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
    also: ClassVar[str] = "lifetime survive longer expire"
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
    also: ClassVar[str] = "die kill delete vanish disappear limb family descendants"
    sentence: ClassVar[str] = "remove {along}"
    category: ClassVar[str] = "Population"
    help: ClassVar[str] = (
        "The particle leaves the effect at once. Rules further down no longer see it. *With all that came of it*: its children, theirs, and so "
        "on, as far as everybody between them is still there. *With its family*: all of the same first ancestor. On death, those leave with it."
    )

    kind: Literal["remove"] = "remove"
    along: Literal["alone", "descendants", "family"] = fields.choice(
        "alone", {"alone": "it", "descendants": "it with all that came of it", "family": "it with its family"}, label="Whom",
    )  # fmt: skip

    @property
    def stands(self) -> tuple[Place, ...]:
        # Who is leaving anyhow can still take others along.
        return LIVING if self.along == "alone" else self.places

    def act(self, moment: Moment, rows: Rows) -> None:
        moment.doom(rows)
        if self.along == "alone" or number_of(rows) == 0:
            return
        taken_along = np.zeros(moment.count, np.bool_)
        taken_along[rows] = True
        if self.along == "family":
            families = moment.column("family")
            taken_along = np.isin(families, families[rows])
        else:
            # Everybody is younger than its parent and stands after it.
            kernel.handed_down(moment.column("id"), moment.column("parent_id"), taken_along)
        moment.doom(np.flatnonzero(taken_along & ~moment.doomed))


class Redraw(Action):
    title: ClassVar[str] = "draw new random numbers"
    also: ClassVar[str] = "reseed seed vary limb branch another chance luck"
    sentence: ClassVar[str] = "draw new random numbers, outcome {outcome}"
    category: ClassVar[str] = "Population"
    help: ClassVar[str] = (
        "From now on everything random about the particle, and about all that comes of it, is drawn anew: one limb of a figure grows otherwise and "
        "no other changes. Each outcome is always the same one. In a rule *on birth* with a test for one number, it is the limb of "
        "that particle; the probe makes such a rule."
    )
    places: ClassVar[tuple[Place, ...]] = LIVING

    kind: Literal["redraw"] = "redraw"
    outcome: int = fields.number(1, low=1, high=1_000_000, soft=(1, 20), whole=True, label="Outcome")

    def act(self, moment: Moment, rows: Rows) -> None:
        keys = moment.column("key")
        present = keys[rows]
        keys[rows] = child_keys(present, np.full(len(present), self.outcome, np.uint64), NEW_NUMBERS, 0, moment.scene.seed)
