"""Pushing overlapping particles apart by their radii: rounds of Gauss–Seidel over slabs of a grid."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from hailridge.core.kernels import apart as kernel
from hailridge.core.state.neighbours import Grid, beginnings
from hailridge.core.state.particles import Array

OVER_RELAXED = 1.1
"""A pair is put this many times as far apart as it overlaps: the rest settles in fewer rounds (`measured`: ω = 0.55 for each of the two)."""

SIDES = [(0, -1), (0, 0), (0, 1), (1, -1), (1, 0), (1, 1)]
"""Steps along x and y from a cell to those of its own slab, and of the next one."""


ROUNDS_A_GRID = 4
"""Rounds for which the same grid serves: they move nobody further than a small part of a cell."""

SLACK = 1.05
"""How much wider a cell is than the largest distance at which two can overlap."""


class Separation:
    """Particles to be parted, in the order of a grid.

    places (n, 3) m and velocities (n, 3) m/s, float32; radii (n,) m, masses (n,) kg. The result does not depend on the number of threads: slabs that
    are worked on at the same time have no particle in common.
    """

    def __init__(self, places: Array, velocities: Array, radii: Array, masses: Array) -> None:
        grid = Grid(places, 2 * float(radii.max(initial=0.0)) * SLACK)
        order, present = grid.order, grid.taken
        self.starts, self.lengths = grid.runs(present, SIDES)
        numbers = present // grid.slab
        begins = beginnings(numbers)
        self.slabs, self.cells = np.append(begins, len(present)), grid.firsts
        self.halves: list[NDArray[np.int64]] = [np.flatnonzero(numbers[begins] % 2 == parity) for parity in (0, 1)]
        self.places, self.velocities = grid.places, np.ascontiguousarray(velocities.take(order, axis=0), np.float32)
        self.radii = np.ascontiguousarray(radii[order], np.float32)
        self.lightness = (1 / np.maximum(masses[order], 1e-9)).astype(np.float32)
        self.back = np.empty(len(order), np.int64)
        self.back[order] = np.arange(len(order))

    def round(self, strength: float) -> None:
        """Part pairs that overlap, the lighter one the further, and take from each pair the speed at which it closes. `strength`: how much of an
        overlap goes, 0 to 1."""
        for chosen in self.halves:
            kernel.separate(
                len(chosen), chosen, self.slabs, self.cells, self.starts, self.lengths, np.float32(strength * OVER_RELAXED),
                np.float32(min(1.0, strength)), self.radii, self.lightness, self.places, self.velocities, work=len(self.places),
            )  # fmt: skip

    def heaps(self, slack: float) -> NDArray[np.int64]:
        """A number for each particle, in the order in which they were given: the same for those that lie against one another, directly or by way of
        others, nearer than `slack` times the sum of their radii (n,)."""
        firsts = kernel.heaps(self.slabs, self.cells, self.starts, self.lengths, self.places, self.radii, np.float32(slack))
        return np.asarray(firsts[self.back])

    def ordered(self) -> tuple[Array, Array]:
        """Places and velocities (n, 3) in the order in which they were given."""
        return self.places.take(self.back, axis=0), self.velocities.take(self.back, axis=0)


def push_apart(places: Array, velocities: Array, radii: Array, masses: Array, strength: float, rounds: int) -> tuple[Array, Array]:
    """Places and velocities (n, 3) after some rounds of parting (see `Separation`)."""
    if len(places) < 2 or not radii.max(initial=0.0) > 0 or strength <= 0:
        return places, velocities
    for begin in range(0, rounds, ROUNDS_A_GRID):
        crowd = Separation(places, velocities, radii, masses)
        for _round in range(min(ROUNDS_A_GRID, rounds - begin)):
            crowd.round(strength)
        places, velocities = crowd.ordered()
    return places, velocities
