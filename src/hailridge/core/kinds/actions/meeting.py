"""Particles and particles: bouncing off one another, and taking something of whom one has met."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

import numpy as np

from hailridge.core.kinds.actions.contact import TOLD, least, pause
from hailridge.core.scene.moment import Moment
from hailridge.core.state.particles import Rows, as_indices
from hailridge.model import fields
from hailridge.model.parts import LASTING, Action, Amount, Phase, Place

MET = ("met", "met_group")
"""Columns that tell whom somebody met last: its id, and the group that it was in."""


class Collide(Action):
    title: ClassVar[str] = "bounce off one another"
    also: ClassVar[str] = "collide particles pair each other hit billiard balls meet others elastic momentum"
    sentence: ClassVar[str] = "bounce off {others} with bounciness {bounciness}" + TOLD
    category: ClassVar[str] = "Contact"
    phase: ClassVar[Phase] = "push"
    places: ClassVar[tuple[Place, ...]] = LASTING
    help: ClassVar[str] = (
        "Particles that come to touch by their radii bounce off each other, by their masses: what one gives the other gets. Each pair meets on its "
        "way within the step, in the order in which they do; whoever goes further in a step than sixteen of the largest may slip past. Both are "
        "told, and rules on contact act on both. Those that rest on one another are kept from sinking in by *push apart*."
    )

    kind: Literal["collide"] = "collide"
    others: list[str] = fields.reference("group", label="Whom", many="one another", help="None: only those whom the rule is about.")
    bounciness: Amount = fields.amount(0.8, low=0, high=1, soft=(0, 1), label="Bounciness")
    least: Amount = least()
    pause: Amount = pause()

    @property
    def along_the_way(self) -> bool:
        return True

    def needs(self) -> tuple[str, ...]:
        return MET

    def act(self, moment: Moment, rows: Rows) -> None:
        moment.buffers.colliders.append((self, rows))


class TakeOfWhomItMet(Action):
    title: ClassVar[str] = "take of whom it met"
    also: ClassVar[str] = "give exchange swap infect touch hit partner other mix"
    sentence: ClassVar[str] = "take {attribute} of whom it met last"
    category: ClassVar[str] = "Contact"
    places: ClassVar[tuple[Place, ...]] = ("step", "moment", "contact", "otherwise")
    help: ClassVar[str] = (
        "It takes on an attribute of the particle that it bounced off last, as that one is now; in a rule on contact, where they meet. Both read "
        "before either changes, so two who meet exchange it. Whoever has met nobody, or somebody who is gone, keeps its own."
    )

    begins: ClassVar[dict[str, dict[str, Any]]] = {"": {"attribute": "color"}}

    kind: Literal["take_met"] = "take_met"
    attribute: str = fields.reference("attribute", label="Attribute")

    def needs(self) -> tuple[str, ...]:
        return MET

    def act(self, moment: Moment, rows: Rows) -> None:
        indices = as_indices(rows)
        ids, met = moment.column("id"), moment.column("met")[indices]
        at = np.searchsorted(ids, met).clip(0, max(0, len(ids) - 1))
        there = (met >= 0) & (ids[at] == met)
        if there.any():
            moment.write_attribute(self.attribute, indices[there], moment.read_attribute(self.attribute, at[there]))
