"""Ambient drift: motion without history."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from hailridge.core.kernels import noise
from hailridge.core.kinds.births.directions import unit_vector
from hailridge.core.scene.moment import Moment
from hailridge.core.state.orientation import from_spin, product
from hailridge.core.state.particles import Rows, number_of
from hailridge.core.state.randomness import any_directions
from hailridge.model import fields
from hailridge.model.effect import ItemSeed
from hailridge.model.kind import Vector
from hailridge.model.parts import LASTING, Action, Phase, Place


class Drift(Action):
    title: ClassVar[str] = "ambient drift"
    also: ClassVar[str] = "wander float ambient idle sway"
    rank: ClassVar[int] = 13
    sentence: ClassVar[str] = (
        "wander up to {travel} around its birthplace, alike within {size}, changing {change}[, trembling by {jitter}]"
        "[, the whole turning by {turning} about {axis} of {shape}][, each turning by {own_turning}]"
    )
    category: ClassVar[str] = "Push"
    help: ClassVar[str] = (
        "Puts the particle where smooth noise says, around where it was born, so that any frame is there at once, without those before. A short "
        "way and large *alike within* hold the cloud together as it sways; a long way criss-crosses. The whole cloud can turn, and each "
        "particle about itself. No other force moves it meanwhile."
    )
    without_history: ClassVar[bool] = True
    phase: ClassVar[Phase] = "push"
    places: ClassVar[tuple[Place, ...]] = LASTING

    kind: Literal["drift"] = "drift"
    travel: float = fields.number(0.3, unit="m", low=0, high=1e4, soft=(0, 3), label="Way")
    size: float = fields.number(1.0, unit="m", low=1e-3, high=1e4, soft=(0.05, 10), label="Alike within")
    change: float = fields.number(0.3, unit="1/s", low=0, high=100, soft=(0, 3), label="Change")
    jitter: float = fields.number(0.0, unit="m", low=0, high=100, soft=(0, 0.2), label="Trembling")
    turning: float = fields.number(0.0, unit="deg/s", low=-1e5, high=1e5, soft=(-90, 90), label="The whole turns by")
    axis: Vector = fields.vector([0.0, 1.0, 0.0], label="Axis")
    shape: str | None = fields.reference("shape", label="About", optional="the scene's middle")
    own_turning: float = fields.number(0.0, unit="deg/s", low=-1e5, high=1e5, soft=(-360, 360), label="Each turns by")
    seed: ItemSeed = fields.number(0, low=0, high=2**31 - 1, whole=True, label="Seed")

    def needs(self) -> tuple[str, ...]:
        return ("birthplace", "orientation", "spin")

    def act(self, moment: Moment, rows: Rows) -> None:
        moment.buffers.movers.append((self, rows))

    def settle(self, moment: Moment, rows: Rows) -> None:
        """Put the particles where they are at the moment's time; velocities are those of the way itself."""
        ahead = 1e-3
        now = self._places(moment, rows, moment.time)
        later = self._places(moment, rows, moment.time + ahead)
        moment.column("position")[rows] = now
        moment.column("velocity")[rows] = (later - now) / ahead
        if self.own_turning:
            axes = any_directions(moment.uniforms(rows, self.item, 1))
            age = np.asarray(moment.column("age")[rows], np.float64)
            turns = from_spin(axes * np.radians(self.own_turning) * age[:, None])
            start = moment.uniforms(rows, self.item, 2)
            moment.column("orientation")[rows] = product(turns, from_spin(any_directions(start) * (start[:, 3:] * 2 * np.pi)))
            moment.column("spin")[rows] = axes * np.float32(np.radians(self.own_turning))

    def _places(self, moment: Moment, rows: Rows, time: float) -> NDArray[np.float64]:
        home = moment.column("birthplace")[rows]
        salt = (self.item ^ moment.scene.seed) & 0xFFFFFF
        way = _three_noises(home / np.float32(self.size), self.change * time, salt) * self.travel
        if self.jitter > 0:
            own = moment.uniforms(rows, self.item, 0)[:, :3] * np.float32(1000)
            way = way + _three_noises(own, max(1.0, self.change) * 6.0 * time, salt + 7) * self.jitter
        places = home + way
        if self.turning:
            centre = np.zeros(3) if self.shape is None else moment.scene.frame(self.shape).translation
            axis = np.asarray(unit_vector(self.axis), np.float64)
            angle = np.radians(self.turning) * time
            away = places - centre
            along = (away @ axis)[:, None] * axis
            # Rodrigues' formula, the same angle for all.
            places = centre + along + (away - along) * np.cos(angle) + np.cross(axis, away) * np.sin(angle)
        return np.asarray(places, np.float64)


def _three_noises(places: Any, drift: float, salt: int) -> NDArray[np.float64]:
    """Vectors of three independent smooth noises at places (k, 3) in cells, shorter than 1: (k, 3)."""
    out = np.empty((number_of(slice(0, len(places))), 4), np.float32)
    ways = np.empty((len(places), 3))
    for axis in range(3):
        shift = np.array([0.37 + 31.7 * axis, 0.71 + drift, 0.13 - 0.6 * drift], np.float32)
        noise.noise(len(places), np.ascontiguousarray(places + shift, np.float32), np.uint32((salt + axis) & 0xFFFFFF), out)
        ways[:, axis] = out[:, 0]
    ways *= 1.5
    # Each is about −1 to 1, all three together may reach further: what is longer than that is bent back smoothly.
    length = np.linalg.norm(ways, axis=1, keepdims=True)
    return np.asarray(ways * np.tanh(length) / np.maximum(length, 1e-12), np.float64)
