"""Answers to a touch: what a particle bounces off, rolls or slides along, goes through or sticks to; and letting go."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

from hailridge.core.kernels.contact import BOUNCES, PASSES, ROLLS
from hailridge.core.scene import sliding, sticking
from hailridge.core.scene.buffers import Encounter
from hailridge.core.scene.moment import Moment
from hailridge.core.state.particles import Rows
from hailridge.model import fields
from hailridge.model.parts import LASTING, LIVING, Action, Amount, Phase, Place


def least() -> Any:
    """Declares from what speed on touches are told."""
    return fields.amount(
        0.0, unit="m/s", low=0, high=1e6, soft=(0, 5), label="Telling touches from",
        help="Only a touch at least this fast onto the surface is told: counts, sets off rules, is an event.",
    )  # fmt: skip


def pause() -> Any:
    """Declares how often touches are told at most."""
    return fields.amount(
        0.0, unit="s", low=0, high=1e6, soft=(0, 1), label="At most once every",
        help="So long after a touch that was told no other one is: a particle that rattles is one event.",
    )  # fmt: skip


class Meeting(Action):
    """What answers to a touch share: the shape, and which touches are told."""

    category: ClassVar[str] = "Contact"
    phase: ClassVar[Phase] = "contact"
    places: ClassVar[tuple[Place, ...]] = LASTING
    response: ClassVar[int] = BOUNCES
    """What a particle does where it meets the shape (`kernels.contact`)."""

    shape: str = fields.reference("shape", label="Shape")
    least: Amount = least()
    pause: Amount = pause()

    def answer(self, moment: Moment, rows: Rows) -> dict[str, Any]:
        """What of an `Encounter` is its own."""
        return {}

    def act(self, moment: Moment, rows: Rows) -> None:
        told = {"response": self.response, "least": self.least.give(moment, rows), "pause": self.pause.give(moment, rows)}
        moment.buffers.encounters.append(Encounter(moment.scene.shape_index[self.shape], rows, **told | self.answer(moment, rows)))


class Hard(Meeting):
    """What those share that come back from a wall."""

    bounciness: Amount
    friction: Amount

    def answer(self, moment: Moment, rows: Rows) -> dict[str, Any]:
        return {"bounciness": self.bounciness.give(moment, rows), "friction": self.friction.give(moment, rows)}


TOLD = "[, telling touches from {least}][, at most once every {pause}]"


class Bounce(Hard):
    title: ClassVar[str] = "bounce off a shape"
    also: ClassVar[str] = "collide hit floor wall solid rebound ground"
    sentence: ClassVar[str] = "bounce off {shape} with bounciness {bounciness} and friction {friction}" + TOLD
    help: ClassVar[str] = (
        "Makes the shape solid for the particle. Bounciness: the part of its speed onto the surface that it comes back with; 0 stays, 1 "
        "bounces for ever. Friction: on a slope it stays put while the tangent of the slope is no more than this. Contact comes after "
        "motion in the step and catches newborns too; nothing gets through, however fast. Of two answers to one shape the lower one counts."
    )

    kind: Literal["bounce"] = "bounce"
    bounciness: Amount = fields.amount(0.4, low=0, high=1, soft=(0, 1), label="Bounciness")
    friction: Amount = fields.amount(0.2, low=0, high=10, soft=(0, 1), label="Friction")


class Roll(Hard):
    title: ClassVar[str] = "roll along a shape"
    also: ClassVar[str] = "ball marble wheel turn spin circumference gutter"
    response: ClassVar[int] = ROLLS
    sentence: ClassVar[str] = "roll along {shape} with bounciness {bounciness}, slowed by {friction}" + TOLD
    help: ClassVar[str] = (
        "Makes the shape solid for the particle, a solid ball that rolls on it without slipping: it turns by its circumference, and down a slope it "
        "gains five sevenths of what would slide, since turning takes its part. *Slowed by* is the resistance to rolling: 0.01 for hard balls "
        "on a hard floor, 0.3 in sand; on a slope it stays while the tangent is no more than this. It is free to roll off an edge."
    )

    kind: Literal["roll"] = "roll"
    bounciness: Amount = fields.amount(0.3, low=0, high=1, soft=(0, 1), label="Bounciness")
    friction: Amount = fields.amount(0.02, low=0, high=10, soft=(0, 0.3), label="Slowed by")

    def needs(self) -> tuple[str, ...]:
        return sliding.OF_WHO_ROLLS


class Slide(Meeting):
    title: ClassVar[str] = "slide along a shape"
    also: ClassVar[str] = "drop run down glide trickle creep surface hold gather drip crawl"
    sentence: ClassVar[str] = "slide along {shape} {turning} with friction {friction}" + TOLD
    help: ClassVar[str] = (
        "Makes the shape solid for the particle, and whoever touches it stays on it, however it curves, moves or hangs over, and slides as its "
        "pushes drive it. Friction works against that as much as it is pressed on or pulled off: on a slope it stays put while the tangent is no "
        "more than this; varied by a field or by noise, it makes runs. It is free when it is *let go*, and when no rule holds it any more. "
        "Touching another shape along which it is to slide, it goes over to that one; an inner corner takes what speed it had onto the new face."
    )

    kind: Literal["slide"] = "slide"
    turning: Literal["plain", "rolling"] = fields.choice("plain", {"plain": "without turning", "rolling": "rolling"}, label="Turning")
    friction: Amount = fields.amount(0.12, low=0, high=10, soft=(0, 0.5), label="Friction")

    def needs(self) -> tuple[str, ...]:
        return (*sliding.COLUMNS, *(sliding.OF_WHO_ROLLS if self.turning == "rolling" else ()))

    def answer(self, moment: Moment, rows: Rows) -> dict[str, Any]:
        response = ROLLS if self.turning == "rolling" else BOUNCES
        return {"friction": self.friction.give(moment, rows), "response": response, "slides": True}


class Notice(Meeting):
    title: ClassVar[str] = "notice a shape"
    also: ClassVar[str] = "pass through report trigger sensor touch only detect tell go through"
    sentence: ClassVar[str] = "go through {shape} and notice it" + TOLD
    response: ClassVar[int] = PASSES
    help: ClassVar[str] = (
        "The shape is no wall: the particle goes on as it was, and its touch is told, exact in time, as any other: rules on contact act where it "
        "happens. It touches the shape from there until it has left it."
    )

    kind: Literal["notice"] = "notice"


class Stick(Meeting):
    title: ClassVar[str] = "stick to a shape"
    also: ClassVar[str] = "glue attach adhere arrow dart stay cling freeze hold on"
    sentence: ClassVar[str] = "stick to {shape}[, sunk in by {depth}]" + TOLD
    help: ClassVar[str] = (
        "Makes the shape solid for the particle, and whoever touches it stays there: at its place, turned as it was, carried along as the shape "
        "moves, turns, grows and changes its form. Nothing else moves it, no force and no other shape, until it is *let go*; it stays when "
        "this rule no longer holds. Of two answers to one shape the lower one counts."
    )

    kind: Literal["stick"] = "stick"
    depth: Amount = fields.amount(0.0, unit="m", low=-10, high=10, soft=(0, 0.2), label="Sunk in by")

    def needs(self) -> tuple[str, ...]:
        return sticking.COLUMNS

    def answer(self, moment: Moment, rows: Rows) -> dict[str, Any]:
        return {"sunk": self.depth.give(moment, rows)}


class LetGo(Action):
    title: ClassVar[str] = "let go"
    also: ClassVar[str] = "release drop unstick detach fall off free"
    sentence: ClassVar[str] = "let go of what holds it"
    category: ClassVar[str] = "Contact"
    places: ClassVar[tuple[Place, ...]] = LIVING
    help: ClassVar[str] = (
        "Whoever is stuck, or slides, is free again and leaves with the speed that it had. As long as it has not come off the surface, by its own "
        "size, that does not hold it anew and is a wall to it like any other. By steepness, by pull or by gathering: a rule for each, whose count "
        "says how many it let go."
    )

    kind: Literal["let_go"] = "let_go"

    def act(self, moment: Moment, rows: Rows) -> None:
        sticking.let_go(moment, rows)
