"""Following particles back through recorded frames and laying points along their ways: one trail a thread."""

from __future__ import annotations

import numpy as np

from hailridge.core.kernels.array_types import Float32, Float32Rows, Float32s, Float64, Float64s, Int32Rows, Int32s, Int64, Int64s, UInt8Rows
from hailridge.core.kernels.compiling import helper, kernel

BEND = 0.985
"""Cosine of the turn within a frame (10°) above which a way counts as straight and gets no places in between."""

NEAR = 8
"""How many places further on a particle is looked for before its id is searched by halving."""

BETWEEN = 4
"""Pieces that a bent way between two frames is cut into."""


@helper
def _row_of(ids, low, high, wanted):  # type: ignore[no-untyped-def]
    """Where an id stands among ids[low:high], ascending; −1 where it does not."""
    end = high
    while low < high:
        middle = (low + high) >> 1
        if ids[middle] < wanted:
            low = middle + 1
        else:
            high = middle
    return low if low < end and ids[low] == wanted else -1


@kernel(serial_below=128)
def lay(
    begin: Int64, end: Int64, wanted: Int32s, first: Int32s, offsets: Int64s, ids: Int32s, places: Float32Rows, between: Float32Rows,
    velocities: Float32Rows, ages: Float32s, times: Float64s, smooth: Int64, spacing: Float32, most: Int64s, oldest: Float64s, newest: Float64s,
    counts: Int64s, starts: Int64s, points: Float32Rows, sources: Int32Rows, mix: Float32s, within: Int32s, laid: Float64s,
) -> None:  # fmt: skip
    """Points of trails, newest first.

    wanted (t,): ids; first (t,): the frame, counted back from the newest, at which each was last seen. Frames are laid end to end, the newest
    first: offsets (f + 1,), ids (n,), places (n, 3) m, between (n, 3·s) places at the steps within the frame (s may be 0), velocities (n, 3),
    ages (n,) s; times (f,) s, falling. smooth: 1 to round bent ways between frames; spacing: metres between points, 0 for a point a frame;
    most (t,): points of each trail; oldest, newest (t,): the times between which it is shown, both ends put where the particle was at that moment.
    counts (t,): how many points there are, filled where `points` is empty, else read with starts (t,) to fill points (p, 3), sources (p, 2)
    int32 rows between which a point lies, mix (p,) the share of the second, within (p,) the row of the frame in which the way from a point to the
    next, older one was laid, laid (p,) its time.
    """
    inner = between.shape[1] // 3
    measuring = points.shape[0] == 0
    for t in range(begin, end):
        particle, latest = wanted[t], np.int64(first[t])
        frames = len(times) - latest
        room = frames * (max(inner, BETWEEN) + 1) + 2
        xs = np.empty((room, 3), np.float32)
        when, row_a, row_b, share = np.empty(room, np.float64), np.empty(room, np.int32), np.empty(room, np.int32), np.empty(room, np.float32)
        whole = np.empty(room, np.uint8)
        number = 0
        newer = np.int64(-1)
        limit = np.int64(most[t])
        enough = limit + 1 if spacing <= 0 else room
        for k in range(latest, len(times)):
            # Whoever was born earlier may have been further up, but never further down: it is mostly just there, or a little beyond.
            guess = offsets[k] + (newer - offsets[k - 1] if newer >= 0 else 0)
            near = min(guess + NEAR, offsets[k + 1])
            while guess < near and ids[guess] < particle:
                guess += 1
            row = guess if guess < near and ids[guess] == particle else np.int64(_row_of(ids, offsets[k], offsets[k + 1], particle))
            if row < 0 or k - latest > enough:
                break
            if newer >= 0:
                span = times[k - 1] - times[k]
                if inner == 0 and smooth:
                    # A cubic with the velocities at both ends (Hermite), where the way bends and they agree with how far it went.
                    dx, dy, dz = places[newer, 0] - places[row, 0], places[newer, 1] - places[row, 1], places[newer, 2] - places[row, 2]
                    far = np.sqrt(dx * dx + dy * dy + dz * dz)
                    ax, ay, az = velocities[row, 0] * span, velocities[row, 1] * span, velocities[row, 2] * span
                    bx, by, bz = velocities[newer, 0] * span, velocities[newer, 1] * span, velocities[newer, 2] * span
                    la, lb = np.sqrt(ax * ax + ay * ay + az * az), np.sqrt(bx * bx + by * by + bz * bz)
                    bent = ax * bx + ay * by + az * bz < BEND * la * lb
                    if bent and la < 2 * far and lb < 2 * far and la > 0.3 * far and lb > 0.3 * far:
                        for piece in range(BETWEEN - 1, 0, -1):
                            u = np.float32(piece) / np.float32(BETWEEN)
                            h1 = u * u * (3 - 2 * u)
                            h2, h3 = u * (1 - u) * (1 - u), u * u * (u - 1)
                            xs[number, 0] = places[row, 0] + dx * h1 + ax * h2 + bx * h3
                            xs[number, 1] = places[row, 1] + dy * h1 + ay * h2 + by * h3
                            xs[number, 2] = places[row, 2] + dz * h1 + az * h2 + bz * h3
                            when[number] = times[k] + span * u
                            row_a[number], row_b[number], share[number], whole[number] = row, newer, u, 0
                            number += 1
                elif inner > 0:
                    for slot in range(inner - 1, -1, -1):
                        for axis in range(3):
                            xs[number, axis] = between[newer, 3 * slot + axis]
                        u = np.float32(slot + 1) / np.float32(inner + 1)
                        when[number] = times[k] + span * u
                        row_a[number], row_b[number], share[number], whole[number] = row, newer, u, 0
                        number += 1
            for axis in range(3):
                xs[number, axis] = places[row, axis]
            when[number] = times[k]
            row_a[number], row_b[number], share[number], whole[number] = row, row, 0.0, 1
            number += 1
            newer = row
            if times[k] <= oldest[t]:
                break
        if newer >= 0 and inner == 0 and number < room:
            # Born within the frame: the way begins where it was born.
            seen = np.int64(latest)
            while offsets[seen + 1] <= newer:
                seen += np.int64(1)
            span = times[seen - 1] - times[seen] if seen > 0 else (times[0] - times[1] if len(times) > 1 else 0.0)
            if 0 < ages[newer] <= span * 1.001 and when[number - 1] > oldest[t]:
                for axis in range(3):
                    xs[number, axis] = places[newer, axis] - velocities[newer, axis] * ages[newer]
                when[number] = when[number - 1] - ages[newer]
                row_a[number], row_b[number], share[number], whole[number] = newer, newer, 0.0, 1
                number += 1
        out = np.int64(0)
        base = np.int64(0) if measuring else np.int64(starts[t])
        counted = np.int64(0)
        travelled = np.float32(0)
        head = 0
        while head < number and when[head] > newest[t]:
            head += 1
        if 0 < head < number and when[head] < newest[t]:
            # The head of a trail that has ended lies where the particle was at that very moment.
            u = np.float32((newest[t] - when[head]) / (when[head - 1] - when[head]))
            for axis in range(3):
                xs[head - 1, axis] = xs[head, axis] + (xs[head - 1, axis] - xs[head, axis]) * u
            head -= 1
            when[head], whole[head] = newest[t], 1
        for v in range(head, number):
            if spacing <= 0 or v == head:
                moment, weight = when[v], np.float32(0)
                cut = moment < oldest[t] and v > head
                if cut:
                    # The last point is where the particle was at that very moment.
                    weight = np.float32((when[v - 1] - oldest[t]) / max(when[v - 1] - moment, 1e-12))
                if not measuring:
                    for axis in range(3):
                        points[base + out, axis] = xs[v, axis] if not cut else xs[v - 1, axis] + (xs[v, axis] - xs[v - 1, axis]) * weight
                    sources[base + out, 0], sources[base + out, 1], mix[base + out], within[base + out] = row_a[v], row_b[v], share[v], row_b[v]
                    laid[base + out] = oldest[t] if cut else moment
                out += 1
                counted += whole[v]
                if cut or counted >= limit:
                    break
                continue
            dx, dy, dz = xs[v, 0] - xs[v - 1, 0], xs[v, 1] - xs[v - 1, 1], xs[v, 2] - xs[v - 1, 2]
            stride = np.float32(np.sqrt(dx * dx + dy * dy + dz * dz))
            done = False
            while travelled + stride >= spacing * np.float32(counted) - np.float32(1e-6) and stride > 0:
                u = min(max((spacing * np.float32(counted) - travelled) / stride, np.float32(0)), np.float32(1))
                moment = when[v - 1] + (when[v] - when[v - 1]) * np.float64(u)
                if moment < oldest[t] or counted >= limit:
                    done = True
                    break
                if not measuring:
                    for axis in range(3):
                        points[base + out, axis] = xs[v - 1, axis] + (xs[v, axis] - xs[v - 1, axis]) * u
                    near = v - 1 if u < 0.5 else v
                    sources[base + out, 0], sources[base + out, 1], mix[base + out] = row_a[near], row_b[near], share[near]
                    within[base + out] = row_b[v - 1]
                    laid[base + out] = moment
                out += 1
                counted += 1
            travelled += stride
            if done or counted >= limit:
                break
        if measuring:
            counts[t] = out


@kernel(serial_below=128)
def dress(
    begin: Int64, end: Int64, starts: Int64s, points: Float32Rows, sources: Int32Rows, mix: Float32s, times: Float64s, shares: Float32s,
    paints: UInt8Rows, halves: Float32s, heads: Int32s, fading: Float32s, taper: Float32s, fade_times: Float64s, now: Float64, left: Float32s,
    tones: Float32Rows, out: Float32Rows, color: UInt8Rows,
) -> None:  # fmt: skip
    """Ribbons of the points laid: each line with its first and last point doubled at width 0.

    starts (t + 1,): where lines begin among points (p, 3), sources (p, 2), mix (p,), times (p,) of `lay`; shares (p,): how far along its trail each
    lies, from head (0) to tail (1); paints (n, 4) bytes and halves (n,) m by source row; heads (t,): the row that all of a line looks like, −1 for
    each point its own; fading, taper (m,): shares from head to tail; fade_times (t,): seconds after which a point is gone, 0 for never; now: the
    present time; left (t,): what is left of each line's opacity; tones (p, 3): colours 0–255 that stand in for the paint, or none (0, 3).
    out (p + 2t, 4) takes place and half width, color (p + 2t, 4) bytes.
    """
    steps = np.float32(len(fading) - 1)
    toned = tones.shape[0] > 0
    for t in range(begin, end):
        first, past = starts[t], starts[t + 1]
        base = first + 2 * t
        fade_time = fade_times[t]
        for i in range(first, past):
            at = base + 1 + (i - first)
            place = shares[i] * steps
            step = np.int64(place)
            inside = place - np.float32(step)
            after = min(step + 1, len(fading) - 1)
            solid = (fading[step] + (fading[after] - fading[step]) * inside) * left[t]
            if fade_time > 0:
                fresh = 1.0 - (now - times[i]) / fade_time
                solid *= np.float32(0.0 if fresh < 0.0 else fresh)
            a = heads[t] if heads[t] >= 0 else sources[i, 0]
            b = heads[t] if heads[t] >= 0 else sources[i, 1]
            u = mix[i]
            for axis in range(3):
                out[at, axis] = points[i, axis]
                paint = np.float32(paints[a, axis])
                tone = tones[i, axis] if toned else paint + (np.float32(paints[b, axis]) - paint) * u
                color[at, axis] = np.uint8(min(max(tone + np.float32(0.5), np.float32(0)), np.float32(255)))
            out[at, 3] = (halves[a] + (halves[b] - halves[a]) * u) * (taper[step] + (taper[after] - taper[step]) * inside)
            paint = np.float32(paints[a, 3])
            seen = (paint + (np.float32(paints[b, 3]) - paint) * u) * solid
            color[at, 3] = np.uint8(min(max(seen + np.float32(0.5), np.float32(0)), np.float32(255)))
        tail = base + 1 + (past - first)
        for k in range(4):
            out[base, k] = out[base + 1, k] if k < 3 else np.float32(0)
            out[tail, k] = out[tail - 1, k] if k < 3 else np.float32(0)
            color[base, k] = color[base + 1, k] if k < 3 else np.uint8(0)
            color[tail, k] = color[tail - 1, k] if k < 3 else np.uint8(0)

