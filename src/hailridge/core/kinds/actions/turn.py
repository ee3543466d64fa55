"""Turning: torque, calming of spin, facing the motion, and tumbling like paper."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

import numpy as np

from hailridge.core.kinds.actions.push import Push
from hailridge.core.kinds.births.directions import unit_vector
from hailridge.core.kinds.births.facings import AXIS_VECTORS, OWN_AXES
from hailridge.core.scene.moment import Moment
from hailridge.core.state.contributions import Contribution
from hailridge.core.state.orientation import align, from_spin, product, rotation_vectors, turned
from hailridge.core.state.particles import Rows, as_factor, as_indices, lengths, number_of
from hailridge.model import fields
from hailridge.model.kind import Vector
from hailridge.model.parts import Amount, Phase

TURNING = ("orientation", "spin")


class Turning(Push):
    """What all turning actions share: they need orientation and spin to be kept."""

    category: ClassVar[str] = "Turn"

    def needs(self) -> tuple[str, ...]:
        return TURNING


class Torque(Turning):
    title: ClassVar[str] = "torque"
    also: ClassVar[str] = "turn spin rotate twist faster"
    rank: ClassVar[int] = 1
    sentence: ClassVar[str] = "turn ever faster, by {strength}, about {axis}[, only in {where}]"
    help: ClassVar[str] = "A turning force: the longer it acts, the faster the spin."

    kind: Literal["torque"] = "torque"
    strength: Amount = fields.amount(90.0, unit="deg/s2", low=-1e6, high=1e6, soft=(-720, 720), label="Strength")
    axis: Vector = fields.vector([0.0, 1.0, 0.0], label="Axis")

    def act(self, moment: Moment, rows: Rows) -> None:
        gain = np.radians(self.strength.give(moment, rows)) * self.share(moment, rows) * moment.elapsed(rows)
        moment.column("spin")[rows] += (unit_vector(self.axis) * as_factor(np.asarray(gain, np.float32))).astype(np.float32)


class CalmSpin(Turning):
    title: ClassVar[str] = "calm its spin"
    also: ClassVar[str] = "stop turning"
    rank: ClassVar[int] = 2
    sentence: ClassVar[str] = "lose half its spin every {half_life}[, only in {where}]"
    help: ClassVar[str] = "The air slows the spin down: half of it is left after this time, whatever the steps."

    kind: Literal["calm_spin"] = "calm_spin"
    half_life: Amount = fields.amount(0.5, unit="s", low=0.001, high=1000, soft=(0.05, 5), label="Half-life", per_frame="halving")

    def act(self, moment: Moment, rows: Rows) -> None:
        rate = self.decay(self.half_life, moment, rows)
        moment.column("spin")[rows] *= as_factor(np.exp(-rate * moment.elapsed(rows)).astype(np.float32))


class FaceMotion(Turning):
    title: ClassVar[str] = "face its motion"
    also: ClassVar[str] = "turn align orient arrow ahead"
    rank: ClassVar[int] = 3
    sentence: ClassVar[str] = "turn {own} into its motion, half of the way every {half_life}[, only in {where}]"
    help: ClassVar[str] = (
        "Turns one of the particle's own axes into its direction of motion, as a dart does: at once with a short half-life, lazily with a long one. "
        "Whoever is stuck to something stays turned as it stuck."
    )
    phase: ClassVar[Phase] = "change"

    kind: Literal["face_motion"] = "face_motion"
    own: Literal["x", "y", "z"] = fields.choice("z", OWN_AXES, label="Its axis")
    half_life: Amount = fields.amount(0.05, unit="s", low=0.0001, high=1000, soft=(0.01, 2), label="Half-life", per_frame="halving")

    def act(self, moment: Moment, rows: Rows) -> None:
        if moment.particles.has("stuck"):
            indices = as_indices(rows)
            rows = indices[moment.column("stuck")[indices] <= 0]
        velocity = moment.read("velocity", rows)
        speed = lengths(velocity)
        orientation = moment.read("orientation", rows)
        own = turned(orientation, np.tile(AXIS_VECTORS[self.own], (len(speed), 1)))
        wanted = np.where(speed[:, None] > 1e-6, velocity / np.maximum(speed, 1e-6)[:, None], own)
        kept = moment.left_of(rows, self.half_life.give(moment, rows))
        whole = rotation_vectors(align(own, wanted))
        share = (1 - kept) * self.share(moment, rows)
        moment.column("orientation")[rows] = product(from_spin(whole * as_factor(np.asarray(share, np.float32))), orientation)


class Flutter(Turning):
    title: ClassVar[str] = "flutter like paper"
    also: ClassVar[str] = "paper leaf tumble slip"
    rank: ClassVar[int] = 4
    sentence: ClassVar[str] = (
        "flutter: broadside lose half its speed every {face}, edge-on every {edge}, tipped by the air within {tipping}, its spin calmed by half "
        "every {calming}[, only in {where}]"
    )
    help: ClassVar[str] = (
        "A thin sheet in the air, lying square to the particle's own y axis: broadside it meets much drag, edge-on little, so it glides off "
        "sideways; the air tips its leading edge up, and it swings back, or tumbles over. Calmed quickly (0.12 s) it rocks from side to side; "
        "calmed slowly (0.3 s) it tumbles. Use it with gravity, and below a wind, which it feels too."
    )

    kind: Literal["flutter"] = "flutter"
    face: Amount = fields.amount(0.05, unit="s", low=0.002, high=100, soft=(0.02, 1), label="Broadside half-life", per_frame="halving")
    edge: Amount = fields.amount(0.35, unit="s", low=0.002, high=1000, soft=(0.05, 5), label="Edge-on half-life", per_frame="halving")
    tipping: Amount = fields.amount(0.8, unit="s", low=0.01, high=100, soft=(0.05, 2), label="Tipping time")
    calming: Amount = fields.amount(0.2, unit="s", low=0.005, high=1000, soft=(0.05, 2), label="Calming of its spin", per_frame="halving")

    def act(self, moment: Moment, rows: Rows) -> None:
        number = number_of(rows)
        share = self.share(moment, rows)
        orientation, spin = moment.read("orientation", rows), moment.read("spin", rows).astype(np.float64)
        normal = turned(orientation, np.tile([0.0, 1.0, 0.0], (number, 1))).astype(np.float64)
        edge, face = self.decay(self.edge, moment, rows), self.decay(self.face, moment, rows)
        moment.pile_up(Contribution("drag", edge), rows)
        broadside = np.broadcast_to(np.maximum(face - edge, 0), (number,))
        moment.pile_up(Contribution("plate", np.column_stack([normal, broadside])), rows)
        # The pressure of the air sits before the middle of the sheet, toward its leading edge, and tips it broadside (a phenomenological
        # law in the manner of Tanabe and Kaneko 1994, "Behavior of a falling paper"; its strength is set by how long the tipping takes).
        against = moment.read("velocity", rows).astype(np.float64) - self._air(moment, rows)
        speed = np.maximum(lengths(against)[:, None], 1e-9)
        way = against / speed
        through = np.sum(way * normal, axis=1, keepdims=True)
        rate = (2 * np.pi / np.maximum(np.asarray(self.tipping.give(moment, rows), np.float64), 1e-2)) ** 2 * np.minimum(speed[:, 0], 2.0) / 2
        torque = np.cross(normal, way) * through * as_factor(rate * share)
        # A flat sheet turns about axes within it far more readily than about the one square to it.
        torque -= normal * np.sum(torque * normal, axis=1, keepdims=True)
        span = moment.elapsed(rows)
        kept = np.exp(-self.decay(self.calming, moment, rows) * span)
        spin = (spin + torque * as_factor(span)) * as_factor(np.asarray(kept, np.float64))
        moment.column("spin")[rows] = spin.astype(np.float32)

    @staticmethod
    def _air(moment: Moment, rows: Rows) -> Any:
        """The velocity of the air that rules above have made: (k, 3)."""
        piles = moment.buffers.piles
        if "air" not in piles:
            return 0.0
        return (piles.each("air")[rows] / np.maximum(piles.each("drag")[rows], 1e-9)[:, None]).astype(np.float64)
