"""Forces: gravity, wind, drag, turbulence. They only pile up pushes; the motion phase adds them and moves."""

from __future__ import annotations

import math
from typing import ClassVar, Literal

import numpy as np

from hailridge.core.kernels import noise
from hailridge.core.moment import Moment
from hailridge.core.particles import Rows, as_factor, number_of
from hailridge.model import fields
from hailridge.model.effect import ItemSeed
from hailridge.model.kind import Vector
from hailridge.model.parts import Action, Amount


class Gravity(Action):
    title: ClassVar[str] = "gravity"
    sentence: ClassVar[str] = "fall with {acceleration}"
    category: ClassVar[str] = "Push"
    help: ClassVar[str] = "The same downward acceleration for heavy and light. On Earth 9.81 m/s²; less looks larger or lighter."

    kind: Literal["gravity"] = "gravity"
    acceleration: Amount = fields.amount(9.81, unit="m/s2", low=-1000, high=1000, soft=(0, 20), label="Acceleration")

    def act(self, moment: Moment, rows: Rows) -> None:
        moment.push_buffer("steady")[rows, 1] -= self.acceleration.give(moment, rows)


class Wind(Action):
    title: ClassVar[str] = "wind"
    sentence: ClassVar[str] = "be carried by wind of {velocity}, taking on half of it every {half_life}"
    category: ClassVar[str] = "Push"
    help: ClassVar[str] = "Moving air: the particle takes on its velocity, the faster the shorter the half-life. Light things have short ones."

    kind: Literal["wind"] = "wind"
    velocity: Vector = fields.vector([2.0, 0.0, 0.0], unit="m/s", label="Wind")
    half_life: float = fields.number(0.8, unit="s", low=0.001, high=1000, soft=(0.05, 5), label="Half-life")

    def act(self, moment: Moment, rows: Rows) -> None:
        rate = np.float32(math.log(2.0) / self.half_life)
        moment.push_buffer("drag")[rows] += rate
        moment.push_buffer("air")[rows] += rate * np.asarray(self.velocity, np.float32)


class Drag(Action):
    title: ClassVar[str] = "drag"
    sentence: ClassVar[str] = "lose half its speed every {half_life}"
    category: ClassVar[str] = "Push"
    help: ClassVar[str] = "Still air: the speed halves in this time, whatever the steps. With gravity it makes a terminal speed."

    kind: Literal["drag"] = "drag"
    half_life: Amount = fields.amount(1.0, unit="s", low=0.001, high=1000, soft=(0.05, 5), label="Half-life")

    def act(self, moment: Moment, rows: Rows) -> None:
        moment.push_buffer("drag")[rows] += np.float32(math.log(2.0)) / np.maximum(self.half_life.give(moment, rows), np.float32(1e-3))


class Turbulence(Action):
    title: ClassVar[str] = "turbulence"
    sentence: ClassVar[str] = "swirl by {strength}, eddies {size} across[, {octaves} octaves][, changing {evolution}]"
    category: ClassVar[str] = "Push"
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

    def act(self, moment: Moment, rows: Rows) -> None:
        places = np.ascontiguousarray(moment.column("position")[rows])
        out = np.empty_like(places)
        salt = np.uint32((self.item ^ moment.scene.seed) & 0xFFFFFF)
        drift = np.float32(self.evolution * moment.time)
        noise.curl(number_of(rows), places, np.float32(1.0 / self.size), np.int64(self.octaves), np.float32(self.roughness), drift, salt, out)
        moment.push_buffer("varying")[rows] += out * as_factor(self.strength.give(moment, rows))
