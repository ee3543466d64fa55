"""Particles that overlap are pushed apart, pair after pair: each pair sees where the pairs before it have put its two."""

from __future__ import annotations

from typing import Any

import numpy as np

from hailridge.core.kernels.array_types import Float32, Float32Rows, Float32s, Int64, Int64Rows, Int64s
from hailridge.core.kernels.compiling import kernel, whole
from hailridge.core.kernels.parting import own_way

SAME_PLACE = np.float32(1e-6)
"""Of the sum of the radii: two that are nearer than that stand in one place, and are parted in a direction of their own."""


@kernel(serial_below=2_000)
def separate(
    begin: Int64, end: Int64, chosen: Int64s, slabs: Int64s, cells: Int64s, starts: Int64Rows, lengths: Int64Rows, strength: Float32,
    calming: Float32, radii: Float32s, lightness: Float32s, places: Float32Rows, velocities: Float32Rows,
) -> None:  # fmt: skip
    """Part every pair that overlaps and of which one is in a chosen slab, the other in the same or in the next one.

    Particles are in the order of their cells, cells in the order of slabs: `slabs` (s + 1,) where the cells of each begin, `cells` (c + 1,) where the
    particles of each begin. starts, lengths (c, 6): the runs of particles around each cell, first the three of its own slab. No two chosen slabs
    are neighbours, so none of them touches a particle of another.
    `strength`: which part of its overlap a pair loses; `calming`: which part of the speed at which the two approach. radii (n,) m,
    lightness (n,) 1/kg; places (n, 3) m and velocities (n, 3) m/s are changed.
    """
    for item in range(begin, end):
        slab = chosen[item]
        for cell in range(slabs[slab], slabs[slab + 1]):
            for a in range(cells[cell], cells[cell + 1]):
                for run in range(6):
                    first = starts[cell, run]
                    last = first + lengths[cell, run]
                    if run < 3:
                        # Of a pair in one slab the first sees to it.
                        first = max(first, a + 1)
                    for b in range(first, last):
                        dx, dy, dz = places[b, 0] - places[a, 0], places[b, 1] - places[a, 1], places[b, 2] - places[a, 2]
                        reach = radii[a] + radii[b]
                        square = dx * dx + dy * dy + dz * dz
                        if not square < reach * reach:
                            continue
                        apart = np.sqrt(square)
                        if apart > SAME_PLACE * reach:
                            nx, ny, nz = dx / apart, dy / apart, dz / apart
                        else:
                            nx, ny, nz = own_way(b, a)
                        both = lightness[a] + lightness[b]
                        mine = lightness[a] / both
                        way = strength * (reach - apart)
                        places[a, 0] -= nx * way * mine
                        places[a, 1] -= ny * way * mine
                        places[a, 2] -= nz * way * mine
                        places[b, 0] += nx * way * (1 - mine)
                        places[b, 1] += ny * way * (1 - mine)
                        places[b, 2] += nz * way * (1 - mine)
                        closing = (
                            (velocities[b, 0] - velocities[a, 0]) * nx
                            + (velocities[b, 1] - velocities[a, 1]) * ny
                            + (velocities[b, 2] - velocities[a, 2]) * nz
                        ) * calming
                        if closing < 0:
                            velocities[a, 0] += nx * closing * mine
                            velocities[a, 1] += ny * closing * mine
                            velocities[a, 2] += nz * closing * mine
                            velocities[b, 0] -= nx * closing * (1 - mine)
                            velocities[b, 1] -= ny * closing * (1 - mine)
                            velocities[b, 2] -= nz * closing * (1 - mine)


@whole
def heaps(slabs: Int64s, cells: Int64s, starts: Int64Rows, lengths: Int64Rows, places: Float32Rows, radii: Float32s, slack: Float32) -> Any:
    """Which particles lie against one another, directly or by way of others: by each the first of its heap, in the order of the grid (n,) int64.

    slabs, cells, starts, lengths, places and radii as in `separate`; two lie against each other that are nearer than `slack` times the sum of their
    radii.
    """
    first_of = np.arange(len(places))
    for slab in range(len(slabs) - 1):
        for cell in range(slabs[slab], slabs[slab + 1]):
            for a in range(cells[cell], cells[cell + 1]):
                for run in range(6):
                    first = starts[cell, run]
                    last = first + lengths[cell, run]
                    if run < 3:
                        first = max(first, a + 1)
                    for b in range(first, last):
                        dx, dy, dz = places[b, 0] - places[a, 0], places[b, 1] - places[a, 1], places[b, 2] - places[a, 2]
                        reach = (radii[a] + radii[b]) * slack
                        if not dx * dx + dy * dy + dz * dz < reach * reach:
                            continue
                        one, other = a, b
                        while first_of[one] != one:
                            first_of[one] = first_of[first_of[one]]
                            one = first_of[one]
                        while first_of[other] != other:
                            first_of[other] = first_of[first_of[other]]
                            other = first_of[other]
                        first_of[max(one, other)] = min(one, other)
    for a in range(len(places)):
        # Whoever comes before has been led to its first already.
        first_of[a] = first_of[first_of[a]]
    return first_of
