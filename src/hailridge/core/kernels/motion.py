"""Moving and turning particles through one step: exact flow under a push and drag that are constant within the step."""

from __future__ import annotations

import numpy as np

from hailridge.core.kernels.array_types import Bools, Float32, Float32Rows, Float32s, Float64, Float64s, Int64, UInt8s
from hailridge.core.kernels.compiling import helper, kernel

BLOCK = 1024
"""Particles whose three axes are worked on one after the other."""


@helper
def _flow(start, push, rate, span):  # type: ignore[no-untyped-def]
    """Speed after `span` and the way gone, for v' = push − rate · v, in closed form."""
    return _flow_kept(start, push, rate, span, np.exp(-rate * span))


@helper
def _flow_kept(start, push, rate, span, kept):  # type: ignore[no-untyped-def]
    """The same where the share of a difference in speed that is `kept` after that time is known."""
    if rate > 1e-9:
        terminal = push / rate
        return terminal + (start - terminal) * kept, terminal * span + (start - terminal) * (1.0 - kept) / rate
    return start + push * span, start * span + 0.5 * push * span * span


@kernel()
def move(
    begin: Int64, end: Int64, velocity: Float32Rows, push: Float32Rows, drag: Float32s, air: Float32Rows, square: Float32s, plate: Float32Rows,
    limit: Float32s, spans: Float32s, displacement: Float32Rows, gained: Float32Rows,
) -> None:  # fmt: skip
    """Advance velocities and give displacements.

    Pushes (m/s²), drag (1/s, toward the air's velocity; `air` = drag × velocity), square-law drag (1/m) and the drag of plates are taken as
    constant within the step and solved exactly, so falls, terminal speeds and decay do not depend on the number of steps. Pushes that vary
    in space are evaluated half a step ahead by whoever gives them, which makes the step a leapfrog (position Verlet). Square-law drag takes
    the mean of the speeds before and after the step. A plate has its own further drag (1/s) along its normal. `gained` is the change
    of velocity, for contact to undo a part of.

    velocity, push, air, displacement, gained (n, 3) float32; drag, square, limit (n,); plate (n, 4): normal and rate; spans (n,) or (1,)
    seconds. What forces add is (0, …) where there is none, (1, …) where it is the same for all; a limit of 0 is none.
    """
    one_span = spans.shape[0] == 1
    dragging, pushed, squared = drag.shape[0] > 0, push.shape[0] > 0, square.shape[0] > 0
    plated, limited = plate.shape[0] > 0, limit.shape[0] > 0
    drags, pushes, airs, squares = drag.shape[0] > 1, push.shape[0] > 1, air.shape[0] > 1, square.shape[0] > 1
    if one_span and not (squared or plated or limited or drags):
        # As most: nothing but pushes and a drag that is the same for all, whose decay is then worked out once.
        span, rate = np.float64(spans[0]), np.float64(drag[0]) if dragging else 0.0
        kept, drawn = np.exp(-rate * span), dragging and rate > 1e-9
        # An axis at a time, so that many are done at once; a block at a time, so that they stay near.
        for first in range(begin, end, BLOCK):
            last = min(first + BLOCK, end)
            for k in range(3):
                f, w = np.float64(push[0, k]) if pushed else 0.0, np.float64(air[0, k]) / rate if drawn else 0.0
                for i in range(first, last):
                    v = np.float64(velocity[i, k])
                    own = np.float64(push[i, k]) if pushes else f
                    own = own + rate * (np.float64(air[i, k]) / rate if airs and drawn else w)
                    after, way = _flow_kept(v, own, rate, span, kept)
                    velocity[i, k], displacement[i, k], gained[i, k] = np.float32(after), np.float32(way), np.float32(after - v)
        return
    for i in range(begin, end):
        span = np.float64(spans[0] if one_span else spans[i])
        d, p, a, q = i if drags else 0, i if pushes else 0, i if airs else 0, i if squares else 0
        rate = np.float64(drag[d]) if dragging else 0.0
        v0, v1, v2 = np.float64(velocity[i, 0]), np.float64(velocity[i, 1]), np.float64(velocity[i, 2])
        f0, f1, f2 = 0.0, 0.0, 0.0
        if pushed:
            f0, f1, f2 = np.float64(push[p, 0]), np.float64(push[p, 1]), np.float64(push[p, 2])
        w0, w1, w2 = 0.0, 0.0, 0.0
        if dragging and rate > 1e-9:
            w0, w1, w2 = np.float64(air[a, 0]) / rate, np.float64(air[a, 1]) / rate, np.float64(air[a, 2]) / rate
        law = np.float64(square[q]) if squared else 0.0
        if law > 0.0:
            before = np.sqrt((v0 - w0) ** 2 + (v1 - w1) ** 2 + (v2 - w2) ** 2)
            guess = rate + law * before
            a0, _x = _flow(v0, f0 + guess * w0, guess, span)
            a1, _y = _flow(v1, f1 + guess * w1, guess, span)
            a2, _z = _flow(v2, f2 + guess * w2, guess, span)
            after = np.sqrt((a0 - w0) ** 2 + (a1 - w1) ** 2 + (a2 - w2) ** 2)
            rate += law * 0.5 * (before + after)
        f0, f1, f2 = f0 + rate * w0, f1 + rate * w1, f2 + rate * w2
        n0, n1, n2, extra = 0.0, 0.0, 0.0, 0.0
        if plated:
            n0, n1, n2, extra = np.float64(plate[i, 0]), np.float64(plate[i, 1]), np.float64(plate[i, 2]), np.float64(plate[i, 3])
        if extra > 0.0:
            # Along its normal a plate meets more drag than along its face: both parts are solved on their own.
            vn, fn, wn = v0 * n0 + v1 * n1 + v2 * n2, f0 * n0 + f1 * n1 + f2 * n2, w0 * n0 + w1 * n1 + w2 * n2
            an, xn = _flow(vn, fn + extra * wn, rate + extra, span)
            a0, x0 = _flow(v0 - vn * n0, f0 - fn * n0, rate, span)
            a1, x1 = _flow(v1 - vn * n1, f1 - fn * n1, rate, span)
            a2, x2 = _flow(v2 - vn * n2, f2 - fn * n2, rate, span)
            a0, a1, a2 = a0 + an * n0, a1 + an * n1, a2 + an * n2
            x0, x1, x2 = x0 + xn * n0, x1 + xn * n1, x2 + xn * n2
        else:
            a0, x0 = _flow(v0, f0, rate, span)
            a1, x1 = _flow(v1, f1, rate, span)
            a2, x2 = _flow(v2, f2, rate, span)
        if limited and limit[i] > 0.0:
            most = np.float64(limit[i])
            speed = np.sqrt(a0 * a0 + a1 * a1 + a2 * a2)
            if speed > most:
                a0, a1, a2 = a0 * most / speed, a1 * most / speed, a2 * most / speed
            way = np.sqrt(x0 * x0 + x1 * x1 + x2 * x2)
            if way > most * span:
                x0, x1, x2 = x0 * most * span / way, x1 * most * span / way, x2 * most * span / way
        velocity[i, 0], velocity[i, 1], velocity[i, 2] = np.float32(a0), np.float32(a1), np.float32(a2)
        displacement[i, 0], displacement[i, 1], displacement[i, 2] = np.float32(x0), np.float32(x1), np.float32(x2)
        gained[i, 0], gained[i, 1], gained[i, 2] = np.float32(a0 - v0), np.float32(a1 - v1), np.float32(a2 - v2)


@kernel()
def turn(begin: Int64, end: Int64, orientation: Float32Rows, spin: Float32Rows, spans: Float32s) -> None:
    """Turn orientations (n, 4) by their spins (n, 3) rad/s, about fixed axes through the step (exact for a spin that stays)."""
    one_span = spans.shape[0] == 1
    for i in range(begin, end):
        span = np.float64(spans[0] if one_span else spans[i])
        sx, sy, sz = np.float64(spin[i, 0]), np.float64(spin[i, 1]), np.float64(spin[i, 2])
        rate = np.sqrt(sx * sx + sy * sy + sz * sz)
        if rate < 1e-9:
            continue
        half = 0.5 * rate * span
        share = np.sin(half) / rate
        ax, ay, az, aw = sx * share, sy * share, sz * share, np.cos(half)
        bx, by, bz, bw = (
            np.float64(orientation[i, 0]), np.float64(orientation[i, 1]), np.float64(orientation[i, 2]), np.float64(orientation[i, 3])
        )  # fmt: skip
        cx = aw * bx + ax * bw + ay * bz - az * by
        cy = aw * by - ax * bz + ay * bw + az * bx
        cz = aw * bz + ax * by - ay * bx + az * bw
        cw = aw * bw - ax * bx - ay * by - az * bz
        size = 1.0 / np.sqrt(cx * cx + cy * cy + cz * cz + cw * cw)
        orientation[i, 0], orientation[i, 1] = np.float32(cx * size), np.float32(cy * size)
        orientation[i, 2], orientation[i, 3] = np.float32(cz * size), np.float32(cw * size)


@kernel()
def strays(begin: Int64, end: Int64, position: Float32Rows, velocity: Float32Rows, limit: Float32, out: UInt8s) -> None:
    """Mark particles that are not finite or further than `limit` metres from the origin: out (n,) uint8."""
    for i in range(begin, end):
        total = abs(position[i, 0]) + abs(position[i, 1]) + abs(position[i, 2])
        moving = abs(velocity[i, 0]) + abs(velocity[i, 1]) + abs(velocity[i, 2])
        # Comparisons with NaN are false, so the good case is the one spelled out.
        out[i] = 0 if total < limit and moving < np.float32(1e7) else 1



@kernel()
def ahead(begin: Int64, end: Int64, position: Float32Rows, velocity: Float32Rows, spans: Float32s, out: Float32Rows) -> None:
    """Where particles will be after `spans` (n,) or (1,) seconds if nothing pushes them: out (n, 3)."""
    one_span = spans.shape[0] == 1
    for i in range(begin, end):
        span = spans[0 if one_span else i]
        out[i, 0] = position[i, 0] + velocity[i, 0] * span
        out[i, 1] = position[i, 1] + velocity[i, 1] * span
        out[i, 2] = position[i, 2] + velocity[i, 2] * span


@kernel()
def over(
    begin: Int64, end: Int64, born: Float64s, age: Float32s, lag: Float32s, lifetime: Float32s, time: Float64, step: Float64, out: Bools
) -> None:
    """Whose life is over at `time` (s), to the nearest step: counted from the end of its first step (`lag` after it was born), a life of n and a half
    steps is seen n or n + 1 times as often as not. Lives shorter than a step are seen by those who are within them at its end."""
    for i in range(begin, end):
        life = np.float64(lifetime[i])
        seen = time - born[i] - np.float64(lag[i])
        out[i] = np.float64(age[i]) >= life if seen < 1e-3 * step else seen >= life - 0.5 * step


@kernel()
def ages(begin: Int64, end: Int64, born: Float64s, time: Float64, age: Float32s) -> None:
    """Ages (n,) float32 at a time from the times of birth (n,) float64, in seconds."""
    for i in range(begin, end):
        age[i] = np.float32(time - born[i])
