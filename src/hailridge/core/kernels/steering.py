"""Steering in one pass where NumPy would take a dozen: directions, handing out a limited force, wandering."""

from __future__ import annotations

import numpy as np

from hailridge.core.kernels.array_types import Float32, Float32Rows, Float32s, Int32s, Int64
from hailridge.core.kernels.compiling import kernel

SMALLEST = np.float32(1e-9)

GOLDEN = 0.6180339887498949


@kernel()
def directions(begin: Int64, end: Int64, ways: Float32Rows, least: Float32, out: Float32Rows) -> None:
    """Unit vectors along ways (k, 3), zero for those that are no longer than `least`: out (k, 3)."""
    for i in range(begin, end):
        x, y, z = ways[i, 0], ways[i, 1], ways[i, 2]
        size = np.sqrt(x * x + y * y + z * z)
        there = size > least
        out[i, 0], out[i, 1], out[i, 2] = (x / size, y / size, z / size) if there else (np.float32(0), np.float32(0), np.float32(0))


@kernel(serial_below=4_000)
def hand_out(
    begin: Int64, end: Int64, wanted: Float32Rows, weight: Float32, force: Float32s, left: Float32s, total: Float32Rows, asked: Float32s,
    given: Float32s,
) -> None:  # fmt: skip
    """What one urge gets of a force: what it wants (k, 3) m/s² times its weight, cut to what is left (k,), is taken from there and added to `total`.

    asked, given (k,): what it wanted and got, as parts of the largest force (k,) m/s².
    """
    for i in range(begin, end):
        x, y, z = wanted[i, 0] * weight, wanted[i, 1] * weight, wanted[i, 2] * weight
        size = np.sqrt(x * x + y * y + z * z)
        got = min(size, left[i])
        share = got / max(size, SMALLEST)
        total[i, 0] += x * share
        total[i, 1] += y * share
        total[i, 2] += z * share
        left[i] -= got
        whole = max(force[i], SMALLEST)
        asked[i], given[i] = min(size, np.float32(1e6)) / whole, got / whole


@kernel()
def lines(begin: Int64, end: Int64, ids: Int32s, along: Float32, out: Float32Rows) -> None:
    """Places in a noise (k, 3), `along` a line of its own for each id (k,)."""
    for i in range(begin, end):
        own = np.float64(ids[i])
        out[i, 0] = np.float32(own * GOLDEN % 97 * 13)
        out[i, 1] = along
        out[i, 2] = np.float32(own * (GOLDEN * GOLDEN) % 89 * 7 + 0.5)


@kernel(serial_below=4_000)
def wander(
    begin: Int64, end: Int64, swings: Float32Rows, headings: Float32Rows, velocities: Float32Rows, pace: Float32s, force: Float32s,
    response: Float32, out: Float32Rows,
) -> None:  # fmt: skip
    """Sideways as far as the last three of the swings (k, 4) say, as parts of the force (k,) m/s², and back to the pace (k,) m/s in `response` (s).

    headings (k, 3) are unit vectors; who has none sets off whichever way it swings. velocities (k, 3) m/s; out (k, 3) m/s².
    """
    for i in range(begin, end):
        sx, sy, sz = swings[i, 1], swings[i, 2], swings[i, 3]
        hx, hy, hz = headings[i, 0], headings[i, 1], headings[i, 2]
        along = sx * hx + sy * hy + sz * hz
        x, y, z = (sx - hx * along) * force[i], (sy - hy * along) * force[i], (sz - hz * along) * force[i]
        if hx == 0 and hy == 0 and hz == 0:
            size = np.sqrt(sx * sx + sy * sy + sz * sz)
            if size > SMALLEST:
                hx, hy, hz = sx / size, sy / size, sz / size
        out[i, 0] = x + (hx * pace[i] - velocities[i, 0]) / response
        out[i, 1] = y + (hy * pace[i] - velocities[i, 1]) / response
        out[i, 2] = z + (hz * pace[i] - velocities[i, 2]) / response
