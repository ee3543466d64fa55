"""Counting neighbours, cell by cell: the candidates of a cell are gathered once into contiguous scratch, then all of its seekers test them."""

from __future__ import annotations

from typing import Any

import numpy as np

from hailridge.core.kernels.array_types import Float32Rows, Float32s, Float64, Float64s, Int32s, Int64, Int64Rows, Int64s
from hailridge.core.kernels.compiling import kernel, whole

CELLS_TOGETHER = 32
"""Cells that share one scratch, so that a sparse cloud does not spend its time on allocating."""

TOGETHER = 32
"""Candidates that are tested at once: scratch is filled up to a multiple of it with what is nowhere near."""

NOWHERE = np.float32(np.nan)
"""Further than any reach, an endless one included."""

DIGIT = 11
"""Bits of a key sorted by in one pass: 2 048 counts fit the nearest cache."""

MOST_AT_ONCE = 2**20
"""Different keys that are sorted in a single pass: their counts fit the second cache."""


@kernel()
def keys_of(begin: Int64, end: Int64, places: Float32Rows, origin: Float64s, cell: Float64, sizes: Int64s, out: Int64s) -> None:
    """Which cell each place (n, 3) lies in, as one number (n,) int64 that ascends with z, then y, then x.

    `sizes` (3,) are how many cells there are along each axis. Whatever lies beyond them is put two cells outside, where no target's
    neighbours are; what is no number is put further out still.
    """
    for i in range(begin, end):
        key = np.int64(0)
        for axis in range(3):
            at = np.floor((np.float64(places[i, axis]) - origin[axis]) / cell)
            at = -3.0 if at != at else min(max(at, -2.0), np.float64(sizes[axis] + 1))
            key = key * np.int64(sizes[axis] + 6) + np.int64(at) + 3
        out[i] = key


@whole
def sorted_order(keys: Int64s) -> Any:
    """The order (n,) int64 in which keys (n,) int64 ascend, equal ones as they come: digit by digit, the lowest first; at once where there are few
    different ones."""
    count = len(keys)
    order = np.arange(count)
    if count < 2:
        return order
    low, high = keys[0], keys[0]
    for i in range(count):
        low, high = min(low, keys[i]), max(high, keys[i])
    if high - low < min(MOST_AT_ONCE, 4 * count):
        places = np.zeros(high - low + 2, np.int32)
        for i in range(count):
            places[keys[i] - low + 1] += np.int32(1)
        for key in range(high - low + 1):
            places[key + 1] += places[key]
        for i in range(count):
            order[places[keys[i] - low]] = i
            places[keys[i] - low] += np.int32(1)
        return order
    other = np.empty(count, np.int64)
    shift = 0
    while shift < 63 and (high - low) >> shift > 0:
        counts = np.zeros(2**DIGIT + 1, np.int64)
        for i in range(count):
            counts[(((keys[i] - low) >> shift) & (2**DIGIT - 1)) + 1] += 1
        for digit in range(2**DIGIT):
            counts[digit + 1] += counts[digit]
        for i in range(count):
            row = order[i]
            digit = ((keys[row] - low) >> shift) & (2**DIGIT - 1)
            other[counts[digit]] = row
            counts[digit] += 1
        order, other = other, order
        shift += DIGIT
    return order


@kernel(serial_below=10_000)
def runs(
    begin: Int64, end: Int64, taken: Int64s, firsts: Int64s, present: Int64s, offsets: Int64s, starts: Int64Rows, lengths: Int64Rows
) -> None:  # fmt: skip
    """Where the targets around each seeker's cell stand: for each of the ascending keys `present` (c,) and each offset (9,), how many targets are in
    cells of lower keys, and how many in that one and the two after it: starts, lengths (c, 9). `taken` (t,) are the ascending keys of the targets'
    cells, `firsts` (t + 1,) where the targets of each begin."""
    for run in range(begin, end):
        first, last = 0, 0
        for cell in range(len(present)):
            wanted = present[cell] + offsets[run]
            while first < len(taken) and taken[first] < wanted:
                first += 1
            last = max(last, first)
            while last < len(taken) and taken[last] < wanted + 3:
                last += 1
            starts[cell, run], lengths[cell, run] = firsts[first], firsts[last] - firsts[first]


@kernel()
def surely(begin: Int64, end: Int64, places: Float32Rows, origin: Float64s, cell: Float64, out: Float32s) -> None:
    """How far around each place (n, 3) all targets are in the cells around its own: a cell, and what lies between it and the nearest wall of its own,
    less a hair: out (n,) m. A cell alone for what is no number."""
    for i in range(begin, end):
        wall = 1.0
        for axis in range(3):
            at = (np.float64(places[i, axis]) - origin[axis]) / cell
            within = at - np.floor(at)
            wall = min(wall, within, 1 - within) if within == within else 0.0
        out[i] = np.float32((1 + wall * 0.999) * cell * (1 - 1e-5))


@kernel(serial_below=2_000, together=CELLS_TOGETHER)
def count(
    begin: Int64, end: Int64, starts: Int64Rows, lengths: Int64Rows, cells: Int64s, seeking: Float32Rows, reach: Float32s, targets: Float32Rows,
    extra: Float32s, out: Int32s,
) -> None:  # fmt: skip
    """How many targets lie within reach of each seeker, itself among them.

    starts, lengths (c, 9): the runs of targets around each seeker's cell; cells (c + 1,): where its seekers begin in `seeking` (n, 3), which is in
    order of cells, as are reach (n,) or (1,) and out (n,); targets (t, 3) in order of cells with `extra` (t,) or (1,) added to the reach.
    """
    for here in range(begin, end, CELLS_TOGETHER):
        there = min(here + CELLS_TOGETHER, end)
        most = 0
        for cell in range(here, there):
            total = 0
            for run in range(9):
                total += lengths[cell, run]
            most = max(most, total)
        most += TOGETHER
        xs, ys, zs = np.empty(most, np.float32), np.empty(most, np.float32), np.empty(most, np.float32)
        more = np.empty(most if len(extra) > 1 else 1, np.float32)
        for cell in range(here, there):
            at = 0
            for run in range(9):
                first = starts[cell, run]
                for k in range(lengths[cell, run]):
                    xs[at], ys[at], zs[at] = targets[first + k, 0], targets[first + k, 1], targets[first + k, 2]
                    if len(extra) > 1:
                        more[at] = extra[first + k]
                    at += 1
            while at % TOGETHER != 0:
                xs[at], ys[at], zs[at] = NOWHERE, NOWHERE, NOWHERE
                if len(extra) > 1:
                    more[at] = np.float32(0)
                at += 1
            for i in range(cells[cell], cells[cell + 1]):
                x, y, z = seeking[i, 0], seeking[i, 1], seeking[i, 2]
                far = reach[i] if len(reach) > 1 else reach[0]
                found = np.int32(0)
                if len(extra) > 1:
                    for k in range(at):
                        dx, dy, dz, both = xs[k] - x, ys[k] - y, zs[k] - z, more[k] + far
                        found += np.int32(dx * dx + dy * dy + dz * dz <= both * both)
                else:
                    square = far * far
                    for k in range(at):
                        dx, dy, dz = xs[k] - x, ys[k] - y, zs[k] - z
                        found += np.int32(dx * dx + dy * dy + dz * dz <= square)
                out[i] = found
