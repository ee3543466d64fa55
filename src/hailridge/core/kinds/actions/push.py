"""Forces of the air and of the ground: gravity, wind, drag, turbulence. They only pile up pushes; the motion phase adds them and moves."""

from __future__ import annotations

import math
from collections.abc import Iterator
from typing import Any, ClassVar, Literal

import numpy as np

from hailridge.core.kernels import noise
from hailridge.core.kinds.actions.weighted import Weighted
from hailridge.core.scene.moment import Moment
from hailridge.core.state.contributions import Contribution
from hailridge.core.state.particles import Array, Rows, number_of
from hailridge.model import fields
from hailridge.model.effect import ItemSeed
from hailridge.model.parts import LASTING, Amount, Phase, Place

HALVING = np.float32(math.log(2.0))

DOWN = np.array([0.0, -1.0, 0.0], np.float32)


class Push(Weighted):
    """What all forces share: they are asked before motion and add up on the way."""

    category: ClassVar[str] = "Push"
    phase: ClassVar[Phase] = "push"
    places: ClassVar[tuple[Place, ...]] = LASTING

    def adds(self, moment: Moment, rows: Rows) -> Iterator[Contribution]:
        """What it adds to the motion of these rows. Each is piled up before the next is asked for."""
        raise NotImplementedError

    def act(self, moment: Moment, rows: Rows) -> None:
        for given in self.adds(moment, rows):
            moment.pile_up(given, rows)

    def decay(self, half_life: Amount, moment: Moment, rows: Rows) -> Any:
        """The rate (1/s; 1/m for a distance) that halves something every `half_life`, weakened by the field: one number, or (k,)."""
        return HALVING / np.maximum(half_life.give(moment, rows), np.float32(1e-3)) * self.share(moment, rows)


class Gravity(Push):
    title: ClassVar[str] = "gravity"
    also: ClassVar[str] = "fall drop weight down"
    rank: ClassVar[int] = 1
    sentence: ClassVar[str] = "fall with {acceleration}[, only in {where}]"
    help: ClassVar[str] = "The same downward acceleration for heavy and light. On Earth 9.81 m/s²; less looks larger or lighter."

    kind: Literal["gravity"] = "gravity"
    acceleration: Amount = fields.amount(9.81, unit="m/s2", low=-1000, high=1000, soft=(0, 20), label="Acceleration")

    def adds(self, moment: Moment, rows: Rows) -> Iterator[Contribution]:
        yield Contribution("push", DOWN, self.acceleration.give(moment, rows) * self.share(moment, rows))


class Constant(Push):
    title: ClassVar[str] = "steady push"
    also: ClassVar[str] = "push accelerate force thrust rise lift"
    rank: ClassVar[int] = 2
    sentence: ClassVar[str] = "be pushed by {acceleration}[, only in {where}]"
    help: ClassVar[str] = "The same acceleration everywhere, in any direction: lift, a tilt of the whole scene, an engine."

    kind: Literal["constant"] = "constant"
    acceleration: Amount = fields.amount([1.0, 0.0, 0.0], unit="m/s2", low=-10_000, high=10_000, soft=(-20, 20), value="vector", label="Acceleration")

    def adds(self, moment: Moment, rows: Rows) -> Iterator[Contribution]:
        yield Contribution("push", self.acceleration.give(moment, rows), self.share(moment, rows))


class Wind(Push):
    title: ClassVar[str] = "wind"
    also: ClassVar[str] = "blow carry drift stream"
    rank: ClassVar[int] = 3
    sentence: ClassVar[str] = (
        "be carried by wind of {velocity}[, gusting by {gusts}, {gust_size} across], taking on half of it every {half_life}[, only in {where}]"
    )
    help: ClassVar[str] = (
        "Moving air: the particle takes on its velocity, the faster the shorter the half-life. Light things have short ones. Gusts make the wind "
        "swell and fade from place to place; they travel with it."
    )

    kind: Literal["wind"] = "wind"
    velocity: Amount = fields.amount([2.0, 0.0, 0.0], unit="m/s", value="vector", low=-1000, high=1000, soft=(-20, 20), label="Wind")
    half_life: Amount = fields.amount(0.8, unit="s", low=0.001, high=1000, soft=(0.05, 5), label="Half-life", per_frame="halving")
    gusts: float = fields.number(0.0, unit="percent", low=0, high=500, soft=(0, 100), label="Gusts")
    gust_size: float = fields.number(3.0, unit="m", low=0.01, high=10_000, soft=(0.2, 20), label="Size of gusts")
    seed: ItemSeed = fields.number(0, low=0, high=2**31 - 1, whole=True, label="Seed")

    def adds(self, moment: Moment, rows: Rows) -> Iterator[Contribution]:
        rate = self.decay(self.half_life, moment, rows)
        air = np.asarray(self.velocity.give(moment, rows), np.float32)
        if self.gusts > 0:
            air = air * (1 + self._swell(moment, rows, air) * np.float32(self.gusts / 100))[:, None]
        yield Contribution("drag", rate)
        yield Contribution("air", air, rate)

    def _swell(self, moment: Moment, rows: Rows, air: Array) -> Array:
        """About −1 to 1 at each place; the pattern is carried along by the wind itself."""
        moved = moment.midway(rows) - air * np.float32(moment.midtime)
        places = np.ascontiguousarray(moved / np.float32(self.gust_size), np.float32)
        out = np.empty((len(places), 4), np.float32)
        noise.noise(len(places), places, np.uint32((self.item ^ moment.scene.seed) & 0xFFFFFF), out)
        return np.asarray(np.clip(out[:, 0] * np.float32(1.6), -1, 1))


class Drag(Push):
    title: ClassVar[str] = "drag"
    also: ClassVar[str] = "slow brake air resistance damp stop"
    rank: ClassVar[int] = 4
    sentence: ClassVar[str] = "lose half its speed every {half_life}[, only in {where}]"
    help: ClassVar[str] = (
        "Still, thick air: the speed halves in this time, whatever the steps. With gravity it makes a terminal speed. A very short time lets "
        "forces only ever nudge."
    )

    kind: Literal["drag"] = "drag"
    half_life: Amount = fields.amount(1.0, unit="s", low=0.001, high=1000, soft=(0.05, 5), label="Half-life", per_frame="halving")

    def adds(self, moment: Moment, rows: Rows) -> Iterator[Contribution]:
        yield Contribution("drag", self.decay(self.half_life, moment, rows))


class SquareDrag(Push):
    title: ClassVar[str] = "drag of fast things"
    also: ClassVar[str] = "air resistance terminal velocity slow brake"
    rank: ClassVar[int] = 5
    sentence: ClassVar[str] = "lose half its speed on every {distance} of its way through the air[, only in {where}]"
    help: ClassVar[str] = (
        "Drag that grows with the square of the speed, as for stones, hail and drops: what is fast is braked hard, what is slow hardly at "
        "all. The distance is how far it flies until half of its speed is left. Falling, it becomes no faster than "
        "√(1.44 · gravity · distance)."
    )

    kind: Literal["square_drag"] = "square_drag"
    distance: Amount = fields.amount(5.0, unit="m", low=1e-3, high=1e6, soft=(0.2, 50), label="Distance")

    def adds(self, moment: Moment, rows: Rows) -> Iterator[Contribution]:
        yield Contribution("square", self.decay(self.distance, moment, rows))


class Turbulence(Push):
    title: ClassVar[str] = "turbulence"
    also: ClassVar[str] = "swirl wander noise eddies smoke"
    rank: ClassVar[int] = 6
    sentence: ClassVar[str] = "swirl by {strength}, eddies {size} across[, {octaves} octaves][, changing {evolution}][, only in {where}]"
    help: ClassVar[str] = (
        "Curl noise: a swirling push that neither gathers nor thins the particles. Each octave adds eddies half as large; layer a coarse and "
        "a fine turbulence for more life."
    )

    kind: Literal["turbulence"] = "turbulence"
    strength: Amount = fields.amount(3.0, unit="m/s2", low=0, high=10_000, soft=(0, 20), label="Strength")
    size: float = fields.number(1.5, unit="m", low=0.001, high=10_000, soft=(0.1, 10), label="Eddy size")
    octaves: int = fields.number(2, low=1, high=8, soft=(1, 8), whole=True, label="Octaves")
    roughness: float = fields.number(0.5, low=0, high=1, soft=(0, 1), label="Strength of each further octave")
    evolution: float = fields.number(0.3, unit="1/s", low=0, high=1000, soft=(0, 3), label="Change")
    seed: ItemSeed = fields.number(0, low=0, high=2**31 - 1, whole=True, label="Seed")

    def adds(self, moment: Moment, rows: Rows) -> Iterator[Contribution]:
        places = moment.midway(rows)
        out = np.empty_like(places)
        salt = np.uint32((self.item ^ moment.scene.seed) & 0xFFFFFF)
        drift = np.float32(self.evolution * moment.midtime)
        noise.curl(number_of(rows), places, np.float32(1.0 / self.size), np.int64(self.octaves), np.float32(self.roughness), drift, salt, out)
        yield Contribution("push", out, self.strength.give(moment, rows) * self.share(moment, rows))
