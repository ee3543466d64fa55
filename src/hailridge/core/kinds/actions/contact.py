"""Being solid: what a particle bounces off, and what it sticks to until it is let go."""

from __future__ import annotations

from typing import ClassVar, Literal

from hailridge.core.scene.buffers import Encounter
from hailridge.core.scene.moment import Moment
from hailridge.core.scene.sticking import COLUMNS, let_go
from hailridge.core.state.particles import Rows
from hailridge.model import fields
from hailridge.model.parts import LASTING, LIVING, Action, Amount, Phase, Place


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


class Stick(Action):
    title: ClassVar[str] = "stick to a shape"
    also: ClassVar[str] = "glue attach adhere arrow dart stay cling freeze hold on"
    sentence: ClassVar[str] = "stick to {shape}[, sunk in by {depth}]"
    category: ClassVar[str] = "Contact"
    phase: ClassVar[Phase] = "contact"
    places: ClassVar[tuple[Place, ...]] = LASTING
    help: ClassVar[str] = (
        "Makes the shape solid for the particle, and whoever touches it stays there: at its place, turned as it was, carried along as the shape "
        "moves, turns, grows and changes its form. Nothing else moves it, no force and no other shape, until it is *let go*; it stays when "
        "this rule no longer holds. Of two answers to one shape the lower one counts."
    )

    kind: Literal["stick"] = "stick"
    shape: str = fields.reference("shape", label="Shape")
    depth: Amount = fields.amount(0.0, unit="m", low=-10, high=10, soft=(0, 0.2), label="Sunk in by")

    def needs(self) -> tuple[str, ...]:
        return COLUMNS

    def act(self, moment: Moment, rows: Rows) -> None:
        encounter = Encounter(moment.scene.shape_index[self.shape], rows, sunk=self.depth.give(moment, rows))
        moment.buffers.encounters.append(encounter)


class LetGo(Action):
    title: ClassVar[str] = "let go"
    also: ClassVar[str] = "release drop unstick detach fall off free"
    sentence: ClassVar[str] = "let go of what it is stuck to"
    category: ClassVar[str] = "Contact"
    places: ClassVar[tuple[Place, ...]] = LIVING
    help: ClassVar[str] = (
        "Whoever is stuck is free again and leaves with the speed that it had with the shape. As long as it has not come off the surface it does "
        "not stick to it anew."
    )

    kind: Literal["let_go"] = "let_go"

    def needs(self) -> tuple[str, ...]:
        return COLUMNS

    def act(self, moment: Moment, rows: Rows) -> None:
        let_go(moment, rows)
