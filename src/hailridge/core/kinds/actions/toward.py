"""Forces to and around things: attraction, vortex, springs, a pull to a centre; and a speed limit."""

from __future__ import annotations

import math
from collections.abc import Iterator
from typing import ClassVar, Literal

import numpy as np

from hailridge.core.kernels import forces
from hailridge.core.kinds.actions.push import Push
from hailridge.core.scene.moment import Moment
from hailridge.core.state.contributions import Contribution
from hailridge.core.state.particles import Rows
from hailridge.model import fields
from hailridge.model.parts import Amount

FADES = {"evenly": "as strong everywhere", "reach": "fading out", "distance": "weaker with distance"}


class Attract(Push):
    title: ClassVar[str] = "attraction"
    also: ClassVar[str] = "draw toward magnet pull attract"
    rank: ClassVar[int] = 7
    sentence: ClassVar[str] = "be drawn to {shape} by {strength}, {fade}[ over {reach}][, only in {where}]"
    help: ClassVar[str] = (
        "Toward the nearest place of a point, a path or a surface; below zero, away from it. *As strong everywhere*; *fading out* to nothing at "
        "a reach; or *weaker with distance*: full at the reach, a quarter at twice that distance, as gravity is."
    )

    kind: Literal["attract"] = "attract"
    shape: str = fields.reference("shape", label="Shape")
    strength: Amount = fields.amount(3.0, unit="m/s2", low=-10_000, high=10_000, soft=(-20, 20), label="Strength")
    fade: Literal["evenly", "reach", "distance"] = fields.choice("evenly", FADES, label="Fading")
    reach: float = fields.number(2.0, unit="m", low=1e-3, high=1e5, soft=(0.1, 20), label="Reach")

    def adds(self, moment: Moment, rows: Rows) -> Iterator[Contribution]:
        places = moment.midway(rows)
        nearest, distances = moment.scene.pose(self.shape).closest(places)
        away = (nearest - places).astype(np.float32)
        far = distances.astype(np.float32)
        if self.fade == "reach":
            share = np.clip(1 - far / np.float32(self.reach), 0, 1)
        elif self.fade == "distance":
            # Within a tenth of the reach it grows no further, so that what passes close by is not flung off.
            share = np.minimum((np.float32(self.reach) / np.maximum(far, np.float32(self.reach * 0.1))) ** 2, 100)
        else:
            share = np.ones_like(far)
        strength = self.strength.give(moment, rows) * share * self.share(moment, rows)
        # So close to the goal that a step would carry it past, the pull grows with the distance, as a spring's does, so that nothing trembles there.
        near = np.abs(strength) * np.float32(moment.dt * moment.dt)
        strength = strength * np.minimum(far / np.maximum(near, np.float32(1e-9)), 1)
        yield Contribution("push", away, strength / np.maximum(far, 1e-9))


class Vortex(Push):
    title: ClassVar[str] = "vortex"
    also: ClassVar[str] = "whirl swirl circle around twister"
    rank: ClassVar[int] = 8
    sentence: ClassVar[str] = (
        "be swept round {shape} at {speed}, {core} wide[, drawn in at {inward}][, lifted at {lift}], taking on half of it every {half_life}"
        "[, only in {where}]"
    )
    help: ClassVar[str] = (
        "Air that turns about the shape's upright axis: fastest at the width of its core, slower further out, still in the middle. Air can "
        "also stream inward and upward. Turn the shape to tilt the axis."
    )

    kind: Literal["vortex"] = "vortex"
    shape: str = fields.reference("shape", label="Shape")
    speed: Amount = fields.amount(4.0, unit="m/s", low=-1000, high=1000, soft=(-20, 20), label="Speed")
    core: float = fields.number(1.0, unit="m", low=1e-3, high=1e5, soft=(0.1, 10), label="Width of its core")
    inward: float = fields.number(0.0, unit="m/s", low=-1000, high=1000, soft=(-5, 5), label="Inward")
    lift: float = fields.number(0.0, unit="m/s", low=-1000, high=1000, soft=(-5, 5), label="Upward")
    half_life: Amount = fields.amount(0.3, unit="s", low=0.001, high=1000, soft=(0.05, 5), label="Half-life", per_frame="halving")

    def adds(self, moment: Moment, rows: Rows) -> Iterator[Contribution]:
        frame = moment.scene.frame(self.shape)
        places = moment.midway(rows)
        speed = np.atleast_1d(np.asarray(self.speed.give(moment, rows), np.float32))
        rate = np.atleast_1d(np.asarray(self.decay(self.half_life, moment, rows), np.float32))
        air = np.empty_like(places)
        axis = np.ascontiguousarray(frame.rotation[:, 1], np.float64)
        middle = np.asarray(frame.translation, np.float64)
        forces.vortex(len(places), places, middle, axis, float(self.core), float(self.inward), float(self.lift), speed, rate, air)
        yield Contribution("drag", rate)
        yield Contribution("air", air)


class Spring(Push):
    title: ClassVar[str] = "spring"
    also: ClassVar[str] = "hold bounce back elastic return swing"
    rank: ClassVar[int] = 9
    sentence: ClassVar[str] = "be held to {shape} by a spring swinging once in {period}[, calmed by half every {calming}][, only in {where}]"
    help: ClassVar[str] = (
        "Pulls back to its birthplace, or to the nearest place of a shape, the harder the further away. The period says how long one swing "
        "takes, however far it goes; calming, in which time the swing halves."
    )

    kind: Literal["spring"] = "spring"
    shape: str | None = fields.reference("shape", label="Held to", optional="its birthplace")
    period: float = fields.number(1.0, unit="s", low=0.01, high=1000, soft=(0.1, 5), label="Period")
    calming: Amount = fields.amount(0.5, unit="s", low=0.001, high=1000, soft=(0.05, 5), label="Calming", per_frame="halving")

    def needs(self) -> tuple[str, ...]:
        return ("birthplace",)

    def adds(self, moment: Moment, rows: Rows) -> Iterator[Contribution]:
        places = moment.midway(rows)
        rest = moment.read("birthplace", rows) if self.shape is None else moment.scene.pose(self.shape).closest(places)[0].astype(np.float32)
        # A leapfrog is steady as long as a step is less than a third of a period; stiffer springs are held there.
        turn = min(2 * math.pi / self.period, 1.9 / moment.dt if moment.dt > 0 else math.inf)
        yield Contribution("push", rest - places, np.float32(turn * turn) * self.share(moment, rows))
        # The swing's height halves in the calming time: the drag on speed is twice that rate.
        yield Contribution("drag", 2 * self.decay(self.calming, moment, rows))


class PullToCentre(Push):
    title: ClassVar[str] = "pull to a centre"
    also: ClassVar[str] = "pull gather together middle cluster"
    rank: ClassVar[int] = 10
    sentence: ClassVar[str] = "be pulled to the centre of {shape} by {strength} for each metre of distance[, only in {where}]"
    help: ClassVar[str] = (
        "A pull that grows with distance: 4 m/s² for each metre keeps a crowd together. Toward the middle of the scene, or of a shape."
    )

    kind: Literal["centre"] = "centre"
    shape: str | None = fields.reference("shape", label="Centre", optional="the scene")
    strength: Amount = fields.amount(4.0, unit="1/s2", low=-1000, high=1000, soft=(0, 20), label="Strength")

    def adds(self, moment: Moment, rows: Rows) -> Iterator[Contribution]:
        centre = np.zeros(3) if self.shape is None else moment.scene.frame(self.shape).translation
        away = centre.astype(np.float32) - moment.midway(rows)
        yield Contribution("push", away, self.strength.give(moment, rows) * self.share(moment, rows))


class SpeedLimit(Push):
    title: ClassVar[str] = "speed limit"
    also: ClassVar[str] = "slow fast maximum clamp stop"
    rank: ClassVar[int] = 12
    sentence: ClassVar[str] = "never be faster than {speed}[, only in {where}]"
    help: ClassVar[str] = "Whatever pushes it, it moves no faster than this. The lowest of several limits counts."

    kind: Literal["speed_limit"] = "speed_limit"
    speed: Amount = fields.amount(5.0, unit="m/s", low=1e-3, high=1e5, soft=(0.1, 20), label="Speed")

    def adds(self, moment: Moment, rows: Rows) -> Iterator[Contribution]:
        wanted = np.asarray(self.speed.give(moment, rows), np.float32)
        if self.where is not None:
            wanted = np.where(self.share(moment, rows) > 0.5, wanted, np.float32(0))
        yield Contribution("limit", wanted)
