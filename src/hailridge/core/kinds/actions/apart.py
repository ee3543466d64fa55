"""Keeping out of one another's way: never overlapping, or a softer push from those nearby."""

from __future__ import annotations

from collections.abc import Iterator
from typing import ClassVar, Literal

import numpy as np

from hailridge.core.kinds.actions.push import Push
from hailridge.core.scene.around import AWAYS, around
from hailridge.core.scene.moment import Moment
from hailridge.core.state.contributions import Contribution
from hailridge.core.state.particles import Rows, taken
from hailridge.model import fields
from hailridge.model.parts import LASTING, Action, Amount, Phase, Place


class PushApart(Action):
    title: ClassVar[str] = "push apart"
    also: ClassVar[str] = "overlap each other pack relax fill separate crowd solid balls"
    sentence: ClassVar[str] = "be kept from overlapping {others}[, {strength} of it in a round][, in {rounds} rounds]"
    category: ClassVar[str] = "Contact"
    phase: ClassVar[Phase] = "push"
    places: ClassVar[tuple[Place, ...]] = LASTING
    help: ClassVar[str] = (
        "Particles that overlap by their radii are put side by side after they have moved, the lighter one the further, and no longer approach each "
        "other. Those that grow keep pushing one another until they are evenly packed. It never pushes anybody through what is solid to it. More "
        "rounds pack more exactly and take longer in proportion; less strength gives way softly."
    )

    kind: Literal["push_apart"] = "push_apart"
    others: list[str] = fields.reference(
        "group", label="Whom", many="one another", help="Also those of these groups, who are pushed, too. None: only those whom the rule is about."
    )
    strength: float = fields.number(1.0, unit="share", low=0, high=1, soft=(0, 1), label="Strength")
    rounds: int = fields.number(4, low=1, high=32, soft=(1, 12), step=1, whole=True, label="Rounds")

    @property
    def along_the_way(self) -> bool:
        return True

    def act(self, moment: Moment, rows: Rows) -> None:
        moment.buffers.pushers.append((self, rows))


class Repel(Push):
    title: ClassVar[str] = "be pushed away"
    also: ClassVar[str] = "repel avoid spread out distance others neighbours separate crowd"
    rank: ClassVar[int] = 11
    sentence: ClassVar[str] = "be pushed away from those found by {neighbourhood} by {strength}[, only in {where}]"
    help: ClassVar[str] = (
        "A soft push away from everyone whom the neighbourhood finds: full where two are in the same place, nothing at its reach, and all of them "
        "add up. Below zero it draws them together."
    )

    kind: Literal["repel"] = "repel"
    neighbourhood: str = fields.reference("neighbourhood", label="Neighbourhood")
    strength: Amount = fields.amount(4.0, unit="m/s2", low=-1e4, high=1e4, soft=(0, 20), label="Strength")

    def asks_around(self) -> Iterator[tuple[str, str]]:
        yield self.neighbourhood, AWAYS

    def adds(self, moment: Moment, rows: Rows) -> Iterator[Contribution]:
        away = taken(around(moment, self.neighbourhood, AWAYS).aways, rows)
        yield Contribution("push", np.ascontiguousarray(away), self.strength.give(moment, rows) * self.share(moment, rows))
