"""What all urges share, and what they are told of the flock. Formulas: Reynolds 1987 and 1999."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np

from hailridge.core.kernels import steering
from hailridge.core.scene.moment import Moment
from hailridge.core.state.particles import Array, Rows, number_of
from hailridge.model import fields
from hailridge.model.parts import Urge

RESPONSE = np.float32(0.3)
"""Seconds in which an urge would bring a particle to the velocity that it wants, had it force enough."""


@dataclass
class Flock:
    """Those who steer, at the start of a step: k particles.

    `force` (k,) m/s² is the most that each can steer with, `pace` (k,) m/s how fast it goes where it wants to; `up` a unit vector (3,).
    """

    moment: Moment
    rows: Rows
    neighbourhood: str
    pace: Array
    force: Array
    up: Array

    @property
    def number(self) -> int:
        return number_of(self.rows)

    @cached_property
    def places(self) -> Array:
        return np.ascontiguousarray(self.moment.read("position", self.rows))

    @cached_property
    def velocities(self) -> Array:
        return np.ascontiguousarray(self.moment.read("velocity", self.rows))

    @cached_property
    def headings(self) -> Array:
        """Directions of motion (k, 3); of those who stand, none."""
        return directions(self.velocities)

    def ahead(self, seconds: float) -> Array:
        """Where each will be if it goes on as it does (k, 3) m."""
        return self.places + self.velocities * np.float32(seconds)

    def toward(self, wanted: Array) -> Array:
        """The acceleration to a velocity that is wanted (k, 3) m/s: (k, 3) m/s²."""
        return np.asarray((wanted - self.velocities) / RESPONSE, np.float32)


class Steering(Urge):
    """An urge with a weight."""

    weight: float = fields.number(
        1.0, low=0, high=100, soft=(0, 4), label="Weight", help="Its wish times this: above 1 it wants more of the force, below 1 less."
    )

    def wants(self, flock: Flock) -> Array:
        """The acceleration that it would like to give each (k, 3) m/s², of any size."""
        raise NotImplementedError


def directions(ways: Any) -> Array:
    """Unit vectors (k, 3), zero where there is no way."""
    given = np.ascontiguousarray(ways, np.float32)
    out = np.empty_like(given)
    steering.directions(len(given), given, np.float32(1e-9), out)
    return out
