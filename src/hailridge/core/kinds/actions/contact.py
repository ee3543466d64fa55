"""Being solid: what a particle bounces off."""

from __future__ import annotations

from typing import ClassVar, Literal

from hailridge.core.scene.buffers import Encounter
from hailridge.core.scene.moment import Moment
from hailridge.core.state.particles import Rows
from hailridge.model import fields
from hailridge.model.parts import LASTING, Action, Amount, Phase, Place


class Bounce(Action):
    title: ClassVar[str] = "bounce off a shape"
    also: ClassVar[str] = "collide hit floor wall solid rebound ground"
    sentence: ClassVar[str] = "bounce off {shape} with bounciness {bounciness} and friction {friction}"
    category: ClassVar[str] = "Contact"
    phase: ClassVar[Phase] = "contact"
    places: ClassVar[tuple[Place, ...]] = LASTING
    help: ClassVar[str] = (
        "Makes the shape solid for the particle. Bounciness: the part of its speed onto the surface that it comes back with; 0 stays, 1 "
        "bounces for ever. Friction: on a slope it stays put while the tangent of the slope is no more than this. Contact comes after "
        "motion in the step and catches newborns too; nothing gets through, however fast."
    )

    kind: Literal["bounce"] = "bounce"
    shape: str = fields.reference("shape", label="Shape")
    bounciness: Amount = fields.amount(0.4, low=0, high=1, soft=(0, 1), label="Bounciness")
    friction: Amount = fields.amount(0.2, low=0, high=10, soft=(0, 1), label="Friction")

    def act(self, moment: Moment, rows: Rows) -> None:
        encounter = Encounter(
            moment.scene.shape_index[self.shape], rows, self.bounciness.give(moment, rows), self.friction.give(moment, rows)
        )
        moment.buffers.encounters.append(encounter)
