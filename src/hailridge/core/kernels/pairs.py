"""Pairs of balls on straight ways: which of them meet within a step, and what comes of it, in the order in which they do."""

from __future__ import annotations

from typing import Any

import numpy as np

from hailridge.core.kernels.array_types import Float32Rows, Float32s, Float64, Float64Rows, Float64s, Int64Rows, Int64s
from hailridge.core.kernels.compiling import whole
from hailridge.core.kernels.contact import meets_ball


@whole
def meeting_pairs(
    slabs: Int64s, cells: Int64s, starts: Int64Rows, lengths: Int64Rows, begun: Float32Rows, ways: Float32Rows, radii: Float32s
) -> Any:
    """Every pair that meets: places in the order of the grid (p, 2) int64, and when, as shares of the step (p,) float64.

    slabs, cells, starts, lengths as in `kernels.apart.separate`; begun (n, 3) m, where each began, and its way (n, 3) m; radii (n,) m.
    """
    room = 1024
    found, times = np.empty((room, 2), np.int64), np.empty(room, np.float64)
    number = 0
    for slab in range(len(slabs) - 1):
        for cell in range(slabs[slab], slabs[slab + 1]):
            for a in range(cells[cell], cells[cell + 1]):
                for run in range(6):
                    first = starts[cell, run]
                    last = first + lengths[cell, run]
                    if run < 3:
                        first = max(first, a + 1)
                    for b in range(first, last):
                        mx, my, mz = begun[b, 0] - begun[a, 0], begun[b, 1] - begun[a, 1], begun[b, 2] - begun[a, 2]
                        dx, dy, dz = ways[b, 0] - ways[a, 0], ways[b, 1] - ways[a, 1], ways[b, 2] - ways[a, 2]
                        reach = np.float64(radii[a]) + np.float64(radii[b])
                        t = meets_ball(np.float64(mx), np.float64(my), np.float64(mz), np.float64(dx), np.float64(dy), np.float64(dz), reach)
                        if t > 1.0:
                            continue
                        if number == room:
                            more, later = np.empty((2 * room, 2), np.int64), np.empty(2 * room, np.float64)
                            more[:room], later[:room] = found, times
                            found, times = more, later
                            room *= 2
                        found[number, 0], found[number, 1], times[number] = a, b, t
                        number += 1
    return found[:number].copy(), times[:number].copy()


@whole
def bounce_pairs(
    pairs: Int64Rows, bounciness: Float64s, span: Float64, radii: Float32s, masses: Float32s, places: Float64Rows, ways: Float64Rows,
    velocities: Float64Rows, at: Float64s, approach: Float64s, met: Int64s,
) -> None:  # fmt: skip
    """Let pairs bounce, in the order in which they are given; whom an earlier one has turned aside is looked at anew.

    pairs (p, 2); bounciness (n,), of a pair the mean; span: seconds of the step; masses (n,) kg. Changed: places (n, 3) m, where each is at its
    share `at` (n,) of the step, ways (n, 3) m for a whole step from there, velocities (n, 3) m/s. Out: the speed (m/s) of each one's hardest meeting
    (n,), 0 for none, and with whom (n,).
    """
    for pair in range(pairs.shape[0]):
        a, b = pairs[pair, 0], pairs[pair, 1]
        now = max(at[a], at[b])
        ma, mb = now - at[a], now - at[b]
        mx = places[b, 0] + ways[b, 0] * mb - places[a, 0] - ways[a, 0] * ma
        my = places[b, 1] + ways[b, 1] * mb - places[a, 1] - ways[a, 1] * ma
        mz = places[b, 2] + ways[b, 2] * mb - places[a, 2] - ways[a, 2] * ma
        dx, dy, dz = ways[b, 0] - ways[a, 0], ways[b, 1] - ways[a, 1], ways[b, 2] - ways[a, 2]
        reach = np.float64(radii[a]) + np.float64(radii[b])
        later = meets_ball(mx, my, mz, dx, dy, dz, reach)
        if later > 1.0 - now:
            continue
        nx, ny, nz = mx + dx * later, my + dy * later, mz + dz * later
        apart = np.sqrt(nx * nx + ny * ny + nz * nz)
        if apart <= 1e-12:
            continue
        nx, ny, nz = nx / apart, ny / apart, nz / apart
        closing = -(
            (velocities[b, 0] - velocities[a, 0]) * nx + (velocities[b, 1] - velocities[a, 1]) * ny + (velocities[b, 2] - velocities[a, 2]) * nz
        )
        if closing <= 0.0:
            continue
        for k in range(3):
            places[a, k] += ways[a, k] * (ma + later)
            places[b, k] += ways[b, k] * (mb + later)
        at[a] = at[b] = now + later
        lightness_a, lightness_b = 1.0 / max(np.float64(masses[a]), 1e-12), 1.0 / max(np.float64(masses[b]), 1e-12)
        push = (1.0 + 0.5 * (bounciness[a] + bounciness[b])) * closing / (lightness_a + lightness_b)
        for k in range(3):
            n = nx if k == 0 else ny if k == 1 else nz
            velocities[a, k] -= n * push * lightness_a
            velocities[b, k] += n * push * lightness_b
            ways[a, k] -= n * push * lightness_a * span
            ways[b, k] += n * push * lightness_b * span
        if closing > approach[a]:
            approach[a], met[a] = closing, b
        if closing > approach[b]:
            approach[b], met[b] = closing, a
