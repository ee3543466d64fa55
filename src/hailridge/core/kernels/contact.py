"""Continuous contact: balls swept along their way against balls and triangles, with bounce, friction and rest.

The earliest touch on the way is found exactly (face, edges and corners of each triangle), so nothing tunnels at any speed or step.
"""

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
from hailridge.core.kernels.tree import DEPTH, closest_on_triangle

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
def meets_ball(mx, my, mz, dx, dy, dz, radius):  # type: ignore[no-untyped-def]
    """First t in [0, 1] at which m + t·d is at `radius` from the origin, approaching; 2 when never."""
    a = dx * dx + dy * dy + dz * dz
    b = mx * dx + my * dy + mz * dz
    c = mx * mx + my * my + mz * mz - radius * radius
    if b >= 0.0 or a <= 0.0:
        return 2.0
    if c <= 0.0:
        return 0.0
    root = b * b - a * c
    if root < 0.0:
        return 2.0
    t = (-b - np.sqrt(root)) / a
    return t if t <= 1.0 else 2.0


@helper
def _leaves_ball(mx, my, mz, dx, dy, dz, radius):  # type: ignore[no-untyped-def]
    """First t in [0, 1] at which m + t·d, from inside, is at `radius` from the origin, going outward; 2 when never."""
    a = dx * dx + dy * dy + dz * dz
    b = mx * dx + my * dy + mz * dz
    c = mx * mx + my * my + mz * mz - radius * radius
    if a <= 0.0:
        return 2.0
    if c >= 0.0:
        return 0.0 if b > 0.0 else 2.0
    t = (-b + np.sqrt(b * b - a * c)) / a
    return t if t <= 1.0 else 2.0


@helper
def _meets_edge(px, py, pz, dx, dy, dz, radius, ax, ay, az, bx, by, bz):  # type: ignore[no-untyped-def]
    """First t in [0, 1] at which p + t·d is at `radius` from the inside of the edge a–b; 2 when never."""
    ex, ey, ez = bx - ax, by - ay, bz - az
    mx, my, mz = px - ax, py - ay, pz - az
    ee = ex * ex + ey * ey + ez * ez
    if ee <= 0.0:
        return 2.0
    me, de = mx * ex + my * ey + mz * ez, dx * ex + dy * ey + dz * ez
    a = (dx * dx + dy * dy + dz * dz) * ee - de * de
    b = (mx * dx + my * dy + mz * dz) * ee - me * de
    c = (mx * mx + my * my + mz * mz - radius * radius) * ee - me * me
    root = b * b - a * c
    if a <= 1e-18 or b >= 0.0 or root < 0.0:
        return 2.0
    t = (-b - np.sqrt(root)) / a
    along = (me + t * de) / ee
    if t < 0.0 or t > 1.0 or along < 0.0 or along > 1.0:
        return 2.0
    return t


@helper
def _sweep_triangle(px, py, pz, dx, dy, dz, radius, reach, triangles, k):  # type: ignore[no-untyped-def]
    """First touch of a swept ball with a triangle: (t, nx, ny, nz, depth), normal toward the ball; t = 2 when none. Depth is how far the
    ball is in the triangle already. `reach` is how far it gets at most: its radius and the length of its way.

    A row of triangles holds three corners, the unit normal and twice the area.
    """
    nx, ny, nz, size = triangles[k, 9], triangles[k, 10], triangles[k, 11], triangles[k, 12]
    best, bx, by, bz, depth = 2.0, 0.0, 0.0, 0.0, 0.0
    if size > 0.0:
        side = (px - triangles[k, 0]) * nx + (py - triangles[k, 1]) * ny + (pz - triangles[k, 2]) * nz
        toward = dx * nx + dy * ny + dz * nz
        if side < 0.0 or (side == 0.0 and toward > 0.0):
            nx, ny, nz, side, toward = -nx, -ny, -nz, -side, -toward
        if side <= radius or side + toward <= radius:
            qx, qy, qz = closest_on_triangle(px, py, pz, triangles, k)
            gx, gy, gz = px - qx, py - qy, pz - qz
            gap = np.sqrt(gx * gx + gy * gy + gz * gz)
            if gap < radius:
                if gap > 1e-12:
                    nx, ny, nz = gx / gap, gy / gap, gz / gap
                if dx * nx + dy * ny + dz * nz < 0.0:
                    best, bx, by, bz, depth = 0.0, nx, ny, nz, radius - gap
            elif gap <= reach:
                flat = False
                if toward < 0.0 and side >= radius:
                    s = (side - radius) / -toward
                    if s <= 1.0:
                        hx, hy, hz = px + dx * s - nx * radius, py + dy * s - ny * radius, pz + dz * s - nz * radius
                        cx, cy, cz = closest_on_triangle(hx, hy, hz, triangles, k)
                        if (cx - hx) ** 2 + (cy - hy) ** 2 + (cz - hz) ** 2 < 1e-16 + 1e-10 * size:
                            best, bx, by, bz = s, nx, ny, nz
                            flat = True
                if not flat:
                    for corner in range(3):
                        i, j = 3 * corner, 3 * ((corner + 1) % 3)
                        ax, ay, az = triangles[k, i], triangles[k, i + 1], triangles[k, i + 2]
                        s = _meets_edge(
                            px, py, pz, dx, dy, dz, radius, ax, ay, az, triangles[k, j], triangles[k, j + 1], triangles[k, j + 2]
                        )  # fmt: skip
                        if s >= best:
                            s = 2.0
                        w = meets_ball(px - ax, py - ay, pz - az, dx, dy, dz, radius)
                        s = min(s, w)
                        if s < best:
                            hx, hy, hz = px + dx * s, py + dy * s, pz + dz * s
                            cx, cy, cz = closest_on_triangle(hx, hy, hz, triangles, k)
                            gx, gy, gz = hx - cx, hy - cy, hz - cz
                            gap = np.sqrt(gx * gx + gy * gy + gz * gz)
                            if gap > 1e-12:
                                best, bx, by, bz = s, gx / gap, gy / gap, gz / gap
    return best, bx, by, bz, depth


@helper
def _sweep_mesh(px, py, pz, dx, dy, dz, radius, triangles, bounds, links, root, stack):  # type: ignore[no-untyped-def]
    """First touch with the triangles under the tree node `root`, as for one triangle; `stack` is room for `DEPTH` nodes."""
    best, bx, by, bz, depth = 2.0, 0.0, 0.0, 0.0, 0.0
    # With a little more, since it is only there to leave out what is far.
    reach = (radius + np.sqrt(dx * dx + dy * dy + dz * dz)) * 1.000001 + 1e-12
    lx, hx = min(px, px + dx) - radius, max(px, px + dx) + radius
    ly, hy = min(py, py + dy) - radius, max(py, py + dy) + radius
    lz, hz = min(pz, pz + dz) - radius, max(pz, pz + dz) + radius
    stack[0] = root
    top = 1
    while top > 0:
        top -= 1
        node = stack[top]
        if lx > bounds[node, 3] or hx < bounds[node, 0] or ly > bounds[node, 4] or hy < bounds[node, 1]:
            continue
        if lz > bounds[node, 5] or hz < bounds[node, 2]:
            continue
        if links[node, 0] >= 0:
            stack[top], stack[top + 1] = links[node, 0], links[node, 1]
            top += 2
            continue
        first = -1 - links[node, 0]
        for k in range(first, first + links[node, 1]):
            s, nx, ny, nz, deep = _sweep_triangle(px, py, pz, dx, dy, dz, radius, reach, triangles, k)
            if s < best or (s == 0.0 and deep > depth):
                best, bx, by, bz, depth = s, nx, ny, nz, deep
    return best, bx, by, bz, depth


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
    room = np.empty(DEPTH, np.int32)
    stack = unowned(room)
    onward = len(rows) > 0
    for j in range(begin, end):
        i = rows[j] if onward else j
        px, py, pz = np.float64(position[i, 0]), np.float64(position[i, 1]), np.float64(position[i, 2])
        dx, dy, dz = np.float64(displacement[i, 0]), np.float64(displacement[i, 1]), np.float64(displacement[i, 2])
        vx, vy, vz = np.float64(velocity[i, 0]), np.float64(velocity[i, 1]), np.float64(velocity[i, 2])
        kx, ky, kz = np.float64(gained[i, 0]), np.float64(gained[i, 1]), np.float64(gained[i, 2])
        span = np.float64(spans[0] if one_span else spans[i])
        size = max(np.float64(radius[i]), SMALLEST_RADIUS)
        mask, fresh = np.uint64(0), np.uint64(0)
        struck_by[i] = -1
        impact[i] = 0.0
        hardest = -1.0
        # What presses on it in one step brings nothing new to what it lies on.
        pressing = 0.05 + 2.0 * np.sqrt(kx * kx + ky * ky + kz * kz)
        left, number, over = 1.0, np.int64(0), False
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
                    s, ax, ay, az, deep = _sweep_mesh(qx, qy, qz, ex, ey, ez, wide, triangles, bounds, links, root, stack)
                else:
                    mx, my, mz = qx - obstacles[k, 1], qy - obstacles[k, 2], qz - obstacles[k, 3]
                    within = obstacles[k, 4] - wide
                    hollow = within > 0.0 and mx * mx + my * my + mz * mz < obstacles[k, 4] * obstacles[k, 4]
                    outer = obstacles[k, 4] + wide
                    s = _leaves_ball(mx, my, mz, ex, ey, ez, within) if hollow else meets_ball(mx, my, mz, ex, ey, ez, outer)
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
            left *= 1.0 - best
            # The velocity at the moment of touch: what the pushes of the rest of the step have added is taken back first.
            # All velocities from here on are those against the surface, which may move.
            vx, vy, vz = vx - ux, vy - uy, vz - uz
            hx, hy, hz = vx - kx * left, vy - ky * left, vz - kz * left
            speed = hx * nx + hy * ny + hz * nz
            resting = 1.5 * max(0.0, -(kx * nx + ky * ny + kz * nz)) + 1e-4
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
                rests = -speed <= resting
                ox, oy, oz = hx - speed * nx, hy - speed * ny, hz - speed * nz
                if rests:
                    # Rest: what presses into the surface is taken away whole, and friction works against that much.
                    hx, hy, hz = vx, vy, vz
                    speed = hx * nx + hy * ny + hz * nz
                    bounce = np.float64(0.0)
                    kx, ky, kz = np.float64(0.0), np.float64(0.0), np.float64(0.0)
                pressed = max(0.0, -speed)
                tx, ty, tz = hx - speed * nx, hy - speed * ny, hz - speed * nz
                if how == ROLLS:
                    rub *= ROLLING
                    if rests:
                        tx, ty, tz = ox + (tx - ox) * ROLLING, oy + (ty - oy) * ROLLING, oz + (tz - oz) * ROLLING
                slide = np.sqrt(tx * tx + ty * ty + tz * tz)
                keep = max(0.0, 1.0 - rub * (1.0 + bounce) * pressed / slide) if slide > 1e-12 else 0.0
                back = bounce * pressed if speed < 0.0 else speed
                hx, hy, hz = tx * keep + back * nx, ty * keep + back * ny, tz * keep + back * nz
                # What is left of the step is a straight way at its mean velocity, which keeps falls and slides exact.
                rest = span * left
                if rests:
                    dx, dy, dz = ((ox + hx) * 0.5 + ux) * rest, ((oy + hy) * 0.5 + uy) * rest, ((oz + hz) * 0.5 + uz) * rest
                else:
                    dx, dy, dz = (hx + kx * left * 0.5 + ux) * rest, (hy + ky * left * 0.5 + uy) * rest, (hz + kz * left * 0.5 + uz) * rest
                vx, vy, vz = hx + kx * left + ux, hy + ky * left + uy, hz + kz * left + uz
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
    room[0] = 0

