"""An attribute, the time in a group, what a rule remembers: handed on to children only where it is said."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from hailridge.core.scene.moment import Moment
from hailridge.core.scene.own import share_of
from hailridge.core.state.randomness import uniforms
from hailridge.model import fields
from hailridge.model.parts import Handing

SAID_BESIDE = ("velocity", "color", "radius", "lifetime")
"""Attributes of which each birth has a percentage of its own: nearly all set them."""

PLACED = ("position", "speed")
"""Attributes that follow from where and how a child is born."""

PLAIN = {"mass": 1.0, "opacity": 1.0}
"""What the rest of a built-in attribute is, of which only a part is handed on: its value in a source that says nothing of it."""


class HandAttribute(Handing):
    title: ClassVar[str] = "of an attribute"
    also: ClassVar[str] = "inherit mass opacity age spin picture flag own number"
    sentence: ClassVar[str] = "hand on {share} of its {attribute}"
    help: ClassVar[str] = (
        "How much of this attribute a child gets of its parent, instead of what the attribute itself says; the rest is the child's own first value. "
        "Of a yes or no, and of a picture, it is the chance. Age: the child begins as old as that."
    )

    kind: Literal["attribute"] = "attribute"
    share: float = fields.number(100.0, unit="percent", low=0, high=100, soft=(0, 100), label="Share")
    attribute: str = fields.reference("attribute", label="Attribute", but=(*SAID_BESIDE, *PLACED))

    def faults(self, effect: Any) -> Iterator[tuple[str, str]]:
        if self.attribute in SAID_BESIDE:
            yield "attribute", "how much of that is handed on is said in the sentence itself"
        if self.attribute in PLACED:
            yield "attribute", "a child's place and speed follow from how it is born"

    def give(self, moment: Moment, rows: slice, parents: NDArray[np.intp]) -> None:
        info, share = moment.scene.table[self.attribute], np.float32(self.share / 100)
        if info.own:
            return share_of(moment, info, rows, parents, self.share)
        theirs = moment.column(info.column)[parents]
        match info.id:
            case "age":
                moment.write_attribute("age", rows, moment.column("age")[rows] + theirs * share)
            case "picture":
                u = uniforms(moment.column("key")[rows], self.item, 0, moment.scene.seed)[:, 0]
                moment.column(info.column)[rows] = np.where(u < share, theirs, 0)
            case _:
                moment.column(info.column)[rows] = theirs * share + np.float32(PLAIN.get(info.id, 0.0)) * (1 - share)


class HandGroupTime(Handing):
    title: ClassVar[str] = "the time in its group"
    also: ClassVar[str] = "inherit timer entered"
    sentence: ClassVar[str] = "hand on its time in its group"
    help: ClassVar[str] = (
        "Without it the time in its group begins anew for each child; with it, a child has been there for as long as its parent. A rule that reads "
        "it then holds for the children at once, if it held for the parent."
    )

    kind: Literal["group_time"] = "group_time"

    def give(self, moment: Moment, rows: slice, parents: NDArray[np.intp]) -> None:
        moment.column("entered")[rows] = moment.column("entered")[parents]


class HandMemory(Handing):
    title: ClassVar[str] = "what a rule remembers"
    also: ClassVar[str] = "inherit memory once already fired switched off"
    sentence: ClassVar[str] = "hand on what {rule} remembers of it"
    help: ClassVar[str] = (
        "Without it children begin with a clean memory: a rule that acts once acts on each of them. With it, what that rule has done to the parent "
        "counts as done to its children: acted once, switched off, on its way to the next birth."
    )

    kind: Literal["memory"] = "memory"
    rule: str = fields.reference("rule", label="Rule")

    def give(self, moment: Moment, rows: slice, parents: NDArray[np.intp]) -> None:
        own = f"rules/{self.rule}"
        for name in moment.scene.plan.memory:
            if name.startswith((f"{own} ", f"{own}/")):
                moment.column(name)[rows] = moment.column(name)[parents]
