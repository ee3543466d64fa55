"""Pairs of balls on straight ways: which of them meet within a step, and what comes of it, in the order in which they do."""

from __future__ import annotations

from typing import Any

import numpy as np

from hailridge.core.kernels.array_types import Float32Rows, Float32s, Float64, Float64Rows, Float64s, Int32s, Int64Rows, Int64s, UInt8s
from hailridge.core.kernels.compiling import helper, whole
from hailridge.core.kernels.sweeping import meets_ball


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


MOST_BOUNCES = 64
"""Of one particle in a step: who is caught between others bounces faster and faster, without end."""


@helper
def _sooner(times, first, second, a, b):  # type: ignore[no-untyped-def]
    """Whether entry a of a heap comes before entry b: by time, then by the two ids, the lower one first."""
    if times[a] != times[b]:
        return times[a] < times[b]
    return first[a] < first[b] or (first[a] == first[b] and second[a] < second[b])


@helper
def _swapped(times, first, second, members, a, b):  # type: ignore[no-untyped-def]
    times[a], times[b] = times[b], times[a]
    first[a], first[b] = first[b], first[a]
    second[a], second[b] = second[b], second[a]
    for k in range(2):
        members[a, k], members[b, k] = members[b, k], members[a, k]


@helper
def _rise(times, first, second, members, at):  # type: ignore[no-untyped-def]
    """Put the entry at a place of a heap as far up as it belongs."""
    while at > 0:
        above = (at - 1) >> 1
        if not _sooner(times, first, second, at, above):
            break
        _swapped(times, first, second, members, at, above)
        at = above


@helper
def _put(times, first, second, members, size, due, a, b, ids):  # type: ignore[no-untyped-def]
    """Put a meeting of two into a heap of this size, in which there is room for it."""
    times[size], first[size], second[size] = due, min(ids[a], ids[b]), max(ids[a], ids[b])
    members[size, 0], members[size, 1] = a, b
    _rise(times, first, second, members, size)


@helper
def _sink(times, first, second, members, size):  # type: ignore[no-untyped-def]
    """Put the entry at the top of a heap as far down as it belongs."""
    at = 0
    while True:
        below = 2 * at + 1
        if below >= size:
            break
        if below + 1 < size and _sooner(times, first, second, below + 1, below):
            below += 1
        if not _sooner(times, first, second, below, at):
            break
        _swapped(times, first, second, members, at, below)
        at = below


@helper
def _again(a, b, places, ways, at, radii):  # type: ignore[no-untyped-def]
    """From when both are where they are now, as a share of the step; when after that they meet, above 1 for not in this step; and how they then
    stand to each other."""
    now = max(at[a], at[b])
    ma, mb = now - at[a], now - at[b]
    mx = places[b, 0] + ways[b, 0] * mb - places[a, 0] - ways[a, 0] * ma
    my = places[b, 1] + ways[b, 1] * mb - places[a, 1] - ways[a, 1] * ma
    mz = places[b, 2] + ways[b, 2] * mb - places[a, 2] - ways[a, 2] * ma
    dx, dy, dz = ways[b, 0] - ways[a, 0], ways[b, 1] - ways[a, 1], ways[b, 2] - ways[a, 2]
    later = meets_ball(mx, my, mz, dx, dy, dz, np.float64(radii[a]) + np.float64(radii[b]))
    if later > 1.0 - now:
        later = 2.0
    return now, later, mx + dx * later, my + dy * later, mz + dz * later


@whole
def bounce_pairs(
    pairs: Int64Rows, moments: Float64s, cells: Int64s, starts: Int64Rows, lengths: Int64Rows, mine: UInt8s, others: UInt8s, ids: Int32s,
    bounciness: Float64s, span: Float64, radii: Float32s, masses: Float32s, places: Float64Rows, ways: Float64Rows, velocities: Float64Rows,
    at: Float64s, approach: Float64s, met: Int64s,
) -> None:  # fmt: skip
    """Let pairs bounce in the order in which they meet, those that only meet because of an earlier bounce of the same step, too: a hit goes through
    a row of touching balls at once.

    pairs (p, 2), in the order of their moments (p,), shares of the step, and of their ids; cells (n,): the cell of each, around which the runs of
    those near it are starts, lengths (c, 9); of a pair one is of `mine` (n,), the other of `others` (n,); ids (n,) settle what is at the same time.
    bounciness (n,), of a pair the mean; span: seconds of the step; masses (n,) kg. Changed: places (n, 3) m, where each is at its share `at` (n,)
    of the step, ways (n, 3) m for a whole step from there, velocities (n, 3) m/s. Out: the speed (m/s) of each one's hardest meeting (n,), 0 for
    none, and with whom (n,).
    """
    size, room = pairs.shape[0], 2 * pairs.shape[0] + 64
    times, first, second, members = np.empty(room, np.float64), np.empty(room, np.int32), np.empty(room, np.int32), np.empty((room, 2), np.int64)
    for k in range(size):
        # In their order, so that none rises.
        _put(times, first, second, members, k, moments[k], pairs[k, 0], pairs[k, 1], ids)
    bounces = np.zeros(len(at), np.int32)
    while size > 0:
        due, a, b = times[0], members[0, 0], members[0, 1]
        size -= 1
        if size > 0:
            _swapped(times, first, second, members, 0, size)
            _sink(times, first, second, members, size)
        now, later, nx, ny, nz = _again(a, b, places, ways, at, radii)
        if later > 1.0:
            continue
        if now + later > due + 1e-12:
            # One of them has been turned aside since: its turn comes when it does.
            _put(times, first, second, members, size, now + later, a, b, ids)
            size += 1
            continue
        apart = np.sqrt(nx * nx + ny * ny + nz * nz)
        if apart <= 1e-12 or bounces[a] >= MOST_BOUNCES or bounces[b] >= MOST_BOUNCES:
            continue
        nx, ny, nz = nx / apart, ny / apart, nz / apart
        closing = -(
            (velocities[b, 0] - velocities[a, 0]) * nx + (velocities[b, 1] - velocities[a, 1]) * ny + (velocities[b, 2] - velocities[a, 2]) * nz
        )
        if closing <= 0.0:
            continue
        bounces[a] += 1
        bounces[b] += 1
        ma, mb = now - at[a], now - at[b]
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
        for turned in range(2):
            one, other = (a, b) if turned == 0 else (b, a)
            for run in range(9):
                begins = starts[cells[one], run]
                for c in range(begins, begins + lengths[cells[one], run]):
                    if c in (one, other) or not ((mine[one] and others[c]) or (mine[c] and others[one])):
                        continue
                    now, later, nx, ny, nz = _again(one, c, places, ways, at, radii)
                    if later > 1.0:
                        continue
                    if size == room:
                        more = 2 * room
                        t, f, s, m = np.empty(more, np.float64), np.empty(more, np.int32), np.empty(more, np.int32), np.empty((more, 2), np.int64)
                        t[:room], f[:room], s[:room], m[:room] = times, first, second, members
                        times, first, second, members, room = t, f, s, m, more
                    _put(times, first, second, members, size, now + later, one, c, ids)
                    size += 1
