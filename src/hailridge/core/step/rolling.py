"""Rolling: who rolls on what it lies on turns by its circumference."""

from __future__ import annotations

from typing import Any

import numpy as np

from hailridge.core.kernels.contact import ROLLS, SMALLEST_RADIUS
from hailridge.core.scene.moment import Moment
from hailridge.core.scene.sticking import carried
from hailridge.core.state.orientation import from_spin, product
from hailridge.core.state.particles import Array
from hailridge.core.step.obstacles import Obstacles, Way
from hailridge.core.step.solid import Solid


def somebody(moment: Moment) -> bool:
    """Whether anybody can roll in this effect."""
    return moment.particles.has("rolling")


def free_spin(moment: Moment) -> Array:
    """How fast each turns by itself (n, 3) rad/s: those who rolled in the step before turn with their way instead, which is known after it."""
    spin = moment.column("spin")
    if not somebody(moment):
        return spin
    rolled = moment.column("rolling") != 0
    return np.where(rolled[:, None], np.float32(0), spin) if rolled.any() else spin


def turn(moment: Moment, obstacles: Obstacles, solid: Solid, way: Way, started: Any) -> None:
    """Turn those who rolled in this step by the way that they have come from where they `started` (n, 3), against the surface; and spin them so
    that it is no slip (ω = v ÷ r). Who has left the surface spins on."""
    if started is None or not somebody(moment):
        return
    count = len(way.touched)
    column = moment.column
    rolled = column("rolling")[:count]
    was = rolled != 0
    rolled[:] = 0
    slides = column("sliding")[:count] > 0 if moment.particles.has("sliding") else np.zeros(count, np.bool_)
    for slot, bit in enumerate(obstacles.bits):
        # Who slides and rolls has been turned on its way.
        rows = np.flatnonzero((solid.permitted[slot] == ROLLS) & ((way.touched & bit) != 0) & ~slides)
        if not len(rows) or moment.dt <= 0:
            continue
        body = moment.body(int(obstacles.shapes[slot]))
        begun = started[rows].astype(np.float64)
        radius = np.maximum(column("radius")[rows].astype(np.float64), SMALLEST_RADIUS)[:, None]
        with_it = carried(moment, body, begun) - begun
        normal = way.normals[rows].astype(np.float64)
        gone = column("position")[rows] - begun - with_it
        turned = was[rows]
        if turned.any():
            column("orientation")[rows[turned]] = product(from_spin((np.cross(normal, gone) / radius)[turned]), column("orientation")[rows[turned]])
        column("spin")[rows] = np.cross(normal, column("velocity")[rows] - with_it / moment.dt) / radius
        rolled[rows] = 1
    rolled[slides & was] = 1
