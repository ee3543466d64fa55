"""Continuous contact: balls swept along their way against balls and triangles (`kernels.sweeping`), with bounce, friction and rest."""

from __future__ import annotations

import numpy as np

from hailridge.core.kernels.array_types import (
    Float32Rows,
    Float32s,
    Float64,
    Float64Rows,
    Int16s,
    Int32Rows,
    Int64,
    Int64s,
    UInt8Rows,
    UInt8s,
    UInt64s,
)
from hailridge.core.kernels.compiling import helper, kernel, unowned
from hailridge.core.kernels.resting import MOST_LAIN_ON, borne, lies_on
from hailridge.core.kernels.sweeping import leaves_ball, meets_ball, sweep_mesh
from hailridge.core.kernels.tree import DEPTH

BOUNCES, PASSES, ROLLS = 1, 2, 3
"""What a particle does where it meets a shape, 0 where it does not meet it: comes back, goes on as if nothing were there but is told, rolls."""

ROLLING = 5.0 / 7.0
"""What part of a push along a surface moves a solid ball that rolls: the rest turns it (handbook mechanics)."""

SMALLEST_RADIUS = 1e-4
"""Metres; particles without size are swept as balls this small, so that they cannot slip through a seam between triangles."""

SKIN = 1e-6
"""Metres kept between a particle and what it touched."""

AT_REST = 1e-16
"""Square metres; what is left of a way shorter than a hundredth of a micrometre is not looked at again."""

MOST_TOUCHES = 8
"""Touches resolved in one step; what is left of the way after that is not moved."""

PLACE, WAY, SPEED, GAIN, LEFT, TOUCHES, OVER, CARRIED = 0, 3, 6, 9, 12, 13, 14, 15
"""Where a particle that is held at a touch keeps what it needs to go on: place, the way that is left, its velocity at the end of that way, what the
pushes of the whole step add to that, the share of the step that is left, how many touches there were, and whether that is all of its way; and how
many numbers these are."""


SPOT = 7
"""How many numbers tell of a contact: three of its place, three of the normal, the part of the particle's time that was left."""


@helper
def _mapped(maps, k, first, x, y, z):  # type: ignore[no-untyped-def]
    """A place under the affine map of 12 numbers that begins at `first` of row k: nine of the matrix, three of the translation."""
    return (
        maps[k, first] * x + maps[k, first + 1] * y + maps[k, first + 2] * z + maps[k, first + 9],
        maps[k, first + 3] * x + maps[k, first + 4] * y + maps[k, first + 5] * z + maps[k, first + 10],
        maps[k, first + 6] * x + maps[k, first + 7] * y + maps[k, first + 8] * z + maps[k, first + 11],
    )


@kernel(serial_below=1_000, together=64)
def resolve(
    begin: Int64, end: Int64, position: Float32Rows, velocity: Float32Rows, displacement: Float32Rows, gained: Float32Rows, radius: Float32s,
    spans: Float32s, permitted: UInt8Rows, bounciness: Float32Rows, friction: Float32Rows, least: Float32Rows, obstacles: Float64Rows,
    motion: Float64Rows, step: Float64, triangles: Float64Rows, bounds: Float64Rows, links: Int32Rows, bits: UInt64s, before: UInt64s,
    touched: UInt64s, new: UInt64s, struck_by: Int16s, impact: Float32s, normals: Float32Rows, spots: Float32Rows, rows: Int64s, listening: UInt8s,
    held: UInt8s, carried: Float64Rows,
) -> None:  # fmt: skip
    """Move every particle along its displacement, bouncing off what its rules say.

    permitted (k, n) uint8: which of k obstacles each particle meets, and how (`BOUNCES` …); bounciness, friction (k, n) or (k, 1) float32; least
    (k, n) or (k, 1) float32: the normal speed (m/s) below which a touch is not told; obstacles (k, 5) float64: root of its tree or −1 for a ball,
    then centre and radius; motion (k, 50) float64: whether it moves, its scale, then affine maps of 12 numbers: into its own space at the start of
    the step, the same at its end, and back into the world at the start and at the end. What moves is met in its own space, in which it stands
    still. step: its seconds. bits (k,) uint64: each obstacle's bit in the masks; before (n,) uint64: what
    each particle was touching. Out: touched (n,) uint64, all that it touched; new (n,) uint64, what it had not been touching or came down on again;
    struck_by (n,) int16, the obstacle of its hardest new contact or −1; impact (n,) float32, that contact's normal speed (m/s); normals (n, 3)
    float32, at the hardest touch of all; spots (n, `SPOT`) float32, of the hardest new contact the place on the surface, the normal there and which
    part of the particle's time was left.

    Whoever is `listening` (n,), or (0,) for nobody, is held at each touch that is new: held (n,) is 1, position and velocity are those at the touch,
    and carried (n, `CARRIED`) keeps how it goes on. Another call with their `rows` takes them further, to what they touch next; struck_by,
    impact and normals are then those of the rest of the way alone. With no rows, all particles begin their way.
    """
    count = obstacles.shape[0]
    one_span = spans.shape[0] == 1
    room, rests_on = np.empty(DEPTH, np.int32), np.empty((MOST_LAIN_ON, 5), np.float64)
    stack, lying = unowned(room), unowned(rests_on)
    onward = len(rows) > 0
    for j in range(begin, end):
        i = rows[j] if onward else j
        px, py, pz = np.float64(position[i, 0]), np.float64(position[i, 1]), np.float64(position[i, 2])
        dx, dy, dz = np.float64(displacement[i, 0]), np.float64(displacement[i, 1]), np.float64(displacement[i, 2])
        vx, vy, vz = np.float64(velocity[i, 0]), np.float64(velocity[i, 1]), np.float64(velocity[i, 2])
        kx, ky, kz = np.float64(gained[i, 0]), np.float64(gained[i, 1]), np.float64(gained[i, 2])
        # What the pushes still are along all that it rests on: who lies on several surfaces is pressed onto each by what the others leave.
        wx, wy, wz = kx, ky, kz
        span = np.float64(spans[0] if one_span else spans[i])
        size = max(np.float64(radius[i]), SMALLEST_RADIUS)
        mask, fresh = np.uint64(0), np.uint64(0)
        struck_by[i] = -1
        impact[i] = 0.0
        hardest = -1.0
        # What presses on it in one step brings nothing new to what it lies on.
        pressing = 0.05 + 2.0 * np.sqrt(kx * kx + ky * ky + kz * kz)
        left, number, over, many = 1.0, np.int64(0), False, np.int64(0)
        if onward:
            px, py, pz = carried[i, PLACE], carried[i, PLACE + 1], carried[i, PLACE + 2]
            dx, dy, dz = carried[i, WAY], carried[i, WAY + 1], carried[i, WAY + 2]
            vx, vy, vz = carried[i, SPEED], carried[i, SPEED + 1], carried[i, SPEED + 2]
            kx, ky, kz = carried[i, GAIN], carried[i, GAIN + 1], carried[i, GAIN + 2]
            left, number = carried[i, LEFT], np.int64(carried[i, TOUCHES])
            mask, fresh = touched[i], new[i]
            over = carried[i, OVER] != 0.0
        if len(held):
            held[i] = 0
        while number < MOST_TOUCHES and not over:
            number += 1
            best, nx, ny, nz, struck = 2.0, 0.0, 0.0, 0.0, -1
            ux, uy, uz, out = 0.0, 0.0, 0.0, SKIN
            for k in range(count):
                if permitted[k, i] == 0:
                    continue
                if permitted[k, i] == PASSES and (mask & bits[k]) != np.uint64(0):
                    continue
                root = np.int32(obstacles[k, 0])
                qx, qy, qz, ex, ey, ez, wide = px, py, pz, dx, dy, dz, size
                if motion[k, 0] > 0.0:
                    share = 1.0 - left * span / step if step > 0.0 else 1.0
                    ax, ay, az = _mapped(motion, k, 2, px, py, pz)
                    bx, by, bz = _mapped(motion, k, 14, px, py, pz)
                    qx, qy, qz = ax + (bx - ax) * share, ay + (by - ay) * share, az + (bz - az) * share
                    bx, by, bz = _mapped(motion, k, 14, px + dx, py + dy, pz + dz)
                    ex, ey, ez = bx - qx, by - qy, bz - qz
                    wide = size / motion[k, 1]
                if root >= 0:
                    s, ax, ay, az, deep = sweep_mesh(qx, qy, qz, ex, ey, ez, wide, triangles, bounds, links, root, stack)
                else:
                    mx, my, mz = qx - obstacles[k, 1], qy - obstacles[k, 2], qz - obstacles[k, 3]
                    within = obstacles[k, 4] - wide
                    hollow = within > 0.0 and mx * mx + my * my + mz * mz < obstacles[k, 4] * obstacles[k, 4]
                    outer = obstacles[k, 4] + wide
                    s = leaves_ball(mx, my, mz, ex, ey, ez, within) if hollow else meets_ball(mx, my, mz, ex, ey, ez, outer)
                    ax, ay, az = mx + ex * s, my + ey * s, mz + ez * s
                    far = np.sqrt(ax * ax + ay * ay + az * az)
                    deep = max(0.0, far - within if hollow else outer - far) if s == 0.0 else 0.0
                    if far > 1e-12:
                        far = -far if hollow else far
                        ax, ay, az = ax / far, ay / far, az / far
                    else:
                        ax, ay, az = 0.0, 1.0, 0.0
                if s < best:
                    best, nx, ny, nz, struck = s, ax, ay, az, k
                    ux, uy, uz = 0.0, 0.0, 0.0
                    # A surface that has come over the particle lifts it out again, a little at a time where it lies deep.
                    out = min(deep, 0.5 * wide) + SKIN
                    if motion[k, 0] > 0.0:
                        cx, cy, cz = qx + ex * s, qy + ey * s, qz + ez * s
                        ax, ay, az = _mapped(motion, k, 26, cx, cy, cz)
                        bx, by, bz = _mapped(motion, k, 38, cx, cy, cz)
                        if step > 0.0:
                            ux, uy, uz = (bx - ax) / step, (by - ay) / step, (bz - az) / step
                        bx, by, bz = _mapped(motion, k, 38, cx + nx, cy + ny, cz + nz)
                        ax, ay, az = _mapped(motion, k, 38, cx, cy, cz)
                        nx, ny, nz = (bx - ax) / motion[k, 1], (by - ay) / motion[k, 1], (bz - az) / motion[k, 1]
                        out *= motion[k, 1]
            if struck < 0:
                px, py, pz = px + dx, py + dy, pz + dz
                left = 0.0
                break
            how = permitted[struck, i]
            if how == PASSES:
                # It goes on as it was; what is met once in a step is not met again.
                out = 0.0
                number -= 1
            px, py, pz = px + dx * best + nx * out, py + dy * best + ny * out, pz + dz * best + nz * out
            # All velocities from here on are those against the surface, which may move.
            vx, vy, vz = vx - ux, vy - uy, vz - uz
            remaining, left = left, left * (1.0 - best)
            # The velocity at the moment of touch: what the pushes of the rest of the step have added is taken back first.
            hx, hy, hz = vx - kx * left, vy - ky * left, vz - kz * left
            speed = hx * nx + hy * ny + hz * nz
            resting = 1.5 * max(0.0, -(wx * nx + wy * ny + wz * nz)) + 1e-4
            rests = -speed <= resting
            sx, sy, sz = 0.0, 0.0, 0.0
            if not rests and how != PASSES:
                # The straight way meets the surface where it is met, but not when: solved for the moment at which what pushes it has brought it
                # that far, so that a bounce neither gains nor loses height.
                rest = span * remaining
                bx, by, bz = (vx - kx * remaining) * rest, (vy - ky * remaining) * rest, (vz - kz * remaining) * rest
                ex, ey, ez = dx - ux * rest, dy - uy * rest, dz - uz * rest
                early = bx * nx + by * ny + bz * nz
                whole = ex * nx + ey * ny + ez * nz
                if early < 0.0 and whole < 0.0:
                    root_of = early * early + 4.0 * (whole - early) * whole * best
                    moment = min(max(2.0 * whole * best / (early - np.sqrt(max(root_of, 0.0))), 0.0), 1.0)
                    # What moves has moved by then; what it has gone along the surface by then, or not yet, is put to the way that is left.
                    later = (moment - best) * rest
                    px, py, pz = px + ux * later, py + uy * later, pz + uz * later
                    sx = bx * moment + (ex - bx) * moment * moment - ex * best
                    sy = by * moment + (ey - by) * moment * moment - ey * best
                    sz = bz * moment + (ez - bz) * moment * moment - ez * best
                    off = sx * nx + sy * ny + sz * nz
                    sx, sy, sz = sx - off * nx, sy - off * ny, sz - off * nz
                    left = remaining * (1.0 - moment)
                    hx, hy, hz = vx - kx * left, vy - ky * left, vz - kz * left
                    speed = hx * nx + hy * ny + hz * nz
            own = i if bounciness.shape[1] > 1 else np.int64(0)
            bounce, rub = np.float64(bounciness[struck, own]), np.float64(friction[struck, own])
            bit = bits[struck]
            mask |= bit
            onto = max(0.0, -speed)
            if onto > hardest:
                hardest = onto
                normals[i, 0], normals[i, 1], normals[i, 2] = nx, ny, nz
            holding = False
            quiet = np.float64(least[struck, i if least.shape[1] > 1 else np.int64(0)])
            if onto >= quiet and ((before[i] & bit) == np.uint64(0) or (onto > pressing and how != PASSES)):
                holding = len(listening) > 0 and listening[i] != 0 and (fresh & bit) == np.uint64(0)
                fresh |= bit
                if struck_by[i] < 0 or np.float32(onto) > impact[i]:
                    struck_by[i] = struck
                    impact[i] = onto
                    spots[i, 0], spots[i, 1], spots[i, 2] = px - nx * size, py - ny * size, pz - nz * size
                    spots[i, 3], spots[i, 4], spots[i, 5], spots[i, 6] = nx, ny, nz, left
            if how == PASSES:
                vx, vy, vz = vx + ux, vy + uy, vz + uz
                dx, dy, dz = dx * (1.0 - best), dy * (1.0 - best), dz * (1.0 - best)
                over = bool(left <= 0.0)
            else:
                ox, oy, oz = hx - speed * nx, hy - speed * ny, hz - speed * nz
                if rests:
                    # Rest: what presses into the surface is taken away whole, and friction works against that much.
                    hx, hy, hz = vx, vy, vz
                    speed = hx * nx + hy * ny + hz * nz
                    bounce = np.float64(0.0)
                    kx, ky, kz = np.float64(0.0), np.float64(0.0), np.float64(0.0)
                    onto_it = wx * nx + wy * ny + wz * nz
                    wx, wy, wz = wx - onto_it * nx, wy - onto_it * ny, wz - onto_it * nz
                pressed = max(0.0, -speed)
                among = False
                if rests:
                    on = lies_on(lying, many, nx, ny, nz)
                    if on < MOST_LAIN_ON:
                        among = bool(many > 1 or (many == 1 and on == 1))
                        if on == many:
                            many += 1
                            lying[on, 0], lying[on, 1], lying[on, 2], lying[on, 4] = nx, ny, nz, 0.0
                        lying[on, 3] = ux * nx + uy * ny + uz * nz
                        if among:
                            ax, ay, az = borne(lying, many, hx + ux, hy + uy, hz + uz)
                            hx, hy, hz = ax - ux, ay - uy, az - uz
                            speed = hx * nx + hy * ny + hz * nz
                            pressed = lying[on, 4]
                        else:
                            lying[on, 4] += pressed
                tx, ty, tz = hx - speed * nx, hy - speed * ny, hz - speed * nz
                if how == ROLLS:
                    rub *= ROLLING
                    if rests:
                        tx, ty, tz = ox + (tx - ox) * ROLLING, oy + (ty - oy) * ROLLING, oz + (tz - oz) * ROLLING
                slide = np.sqrt(tx * tx + ty * ty + tz * tz)
                keep = max(0.0, 1.0 - rub * (1.0 + bounce) * pressed / slide) if slide > 1e-12 else 0.0
                back = bounce * pressed if speed < 0.0 else speed
                hx, hy, hz = tx * keep + back * nx, ty * keep + back * ny, tz * keep + back * nz
                if among:
                    # What the surfaces that it lies on leave of its motion, it has had from the touch on.
                    ox, oy, oz = hx, hy, hz
                # What is left of the step is a straight way at its mean velocity, which keeps falls and slides exact.
                rest = span * left
                if rests:
                    dx, dy, dz = ((ox + hx) * 0.5 + ux) * rest, ((oy + hy) * 0.5 + uy) * rest, ((oz + hz) * 0.5 + uz) * rest
                else:
                    dx, dy, dz = (hx + kx * left * 0.5 + ux) * rest, (hy + ky * left * 0.5 + uy) * rest, (hz + kz * left * 0.5 + uz) * rest
                    dx, dy, dz = dx + sx, dy + sy, dz + sz
                vx, vy, vz = hx + kx * left + ux, hy + ky * left + uy, hz + kz * left + uz
                if rests and left > 0.0:
                    # What it meets after that, it meets on the way from the one to the other.
                    kx, ky, kz = (hx - ox) / left, (hy - oy) / left, (hz - oz) / left
                over = bool(left <= 0.0 or dx * dx + dy * dy + dz * dz < AT_REST)
            if holding:
                carried[i, PLACE], carried[i, PLACE + 1], carried[i, PLACE + 2] = px, py, pz
                carried[i, WAY], carried[i, WAY + 1], carried[i, WAY + 2] = dx, dy, dz
                carried[i, SPEED], carried[i, SPEED + 1], carried[i, SPEED + 2] = vx, vy, vz
                carried[i, GAIN], carried[i, GAIN + 1], carried[i, GAIN + 2] = kx, ky, kz
                carried[i, LEFT], carried[i, TOUCHES], carried[i, OVER] = left, np.float64(number), 1.0 if over else 0.0
                held[i] = 1
                vx, vy, vz = hx + ux, hy + uy, hz + uz
                break
        position[i, 0], position[i, 1], position[i, 2] = px, py, pz
        velocity[i, 0], velocity[i, 1], velocity[i, 2] = vx, vy, vz
        touched[i] = mask
        new[i] = fresh
    room[0], rests_on[0, 0] = 0, 0.0

