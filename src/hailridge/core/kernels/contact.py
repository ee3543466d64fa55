"""Continuous contact: balls swept along their way against balls and triangles, with bounce, friction and rest.

The earliest touch on the way is found exactly (face, edges and corners of each triangle), so nothing tunnels at any speed or step.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from hailridge.core.kernels.compiling import Kernel, helper, parallel_range
from hailridge.core.kernels.tree import closest_on_triangle

SMALLEST_RADIUS = 1e-4
"""Metres; particles without size are swept as balls this small, so that they cannot slip through a seam between triangles."""

SKIN = 1e-6
"""Metres kept between a particle and what it touched."""

AT_REST = 1e-16
"""Square metres; what is left of a way shorter than a hundredth of a micrometre is not looked at again."""

MOST_TOUCHES = 8
"""Touches resolved in one step; what is left of the way after that is not moved."""


@helper
def _meets_ball(mx, my, mz, dx, dy, dz, radius):  # type: ignore[no-untyped-def]
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
def _sweep_triangle(px, py, pz, dx, dy, dz, radius, t):  # type: ignore[no-untyped-def]
    """First touch of a swept ball with a triangle: (t, nx, ny, nz), normal toward the ball; t = 2 when none.

    t holds three corners, the unit normal and twice the area.
    """
    nx, ny, nz, size = t[9], t[10], t[11], t[12]
    best, bx, by, bz = 2.0, 0.0, 0.0, 0.0
    if size > 0.0:
        side = (px - t[0]) * nx + (py - t[1]) * ny + (pz - t[2]) * nz
        toward = dx * nx + dy * ny + dz * nz
        if side < 0.0 or (side == 0.0 and toward > 0.0):
            nx, ny, nz, side, toward = -nx, -ny, -nz, -side, -toward
        if side <= radius or side + toward <= radius:
            qx, qy, qz = closest_on_triangle(px, py, pz, t)
            gx, gy, gz = px - qx, py - qy, pz - qz
            gap = np.sqrt(gx * gx + gy * gy + gz * gz)
            if gap < radius:
                if gap > 1e-12:
                    nx, ny, nz = gx / gap, gy / gap, gz / gap
                if dx * nx + dy * ny + dz * nz < 0.0:
                    best, bx, by, bz = 0.0, nx, ny, nz
            else:
                flat = False
                if toward < 0.0 and side >= radius:
                    s = (side - radius) / -toward
                    if s <= 1.0:
                        hx, hy, hz = px + dx * s - nx * radius, py + dy * s - ny * radius, pz + dz * s - nz * radius
                        cx, cy, cz = closest_on_triangle(hx, hy, hz, t)
                        if (cx - hx) ** 2 + (cy - hy) ** 2 + (cz - hz) ** 2 < 1e-16 + 1e-10 * size:
                            best, bx, by, bz = s, nx, ny, nz
                            flat = True
                if not flat:
                    for k in range(3):
                        i, j = 3 * k, 3 * ((k + 1) % 3)
                        s = _meets_edge(px, py, pz, dx, dy, dz, radius, t[i], t[i + 1], t[i + 2], t[j], t[j + 1], t[j + 2])
                        if s >= best:
                            s = 2.0
                        w = _meets_ball(px - t[i], py - t[i + 1], pz - t[i + 2], dx, dy, dz, radius)
                        s = min(s, w)
                        if s < best:
                            hx, hy, hz = px + dx * s, py + dy * s, pz + dz * s
                            cx, cy, cz = closest_on_triangle(hx, hy, hz, t)
                            gx, gy, gz = hx - cx, hy - cy, hz - cz
                            gap = np.sqrt(gx * gx + gy * gy + gz * gz)
                            if gap > 1e-12:
                                best, bx, by, bz = s, gx / gap, gy / gap, gz / gap
    return best, bx, by, bz


@helper
def _sweep_mesh(px, py, pz, dx, dy, dz, radius, triangles, bounds, links, root):  # type: ignore[no-untyped-def]
    """First touch with the triangles under the tree node `root`."""
    best, bx, by, bz = 2.0, 0.0, 0.0, 0.0
    lx, hx = min(px, px + dx) - radius, max(px, px + dx) + radius
    ly, hy = min(py, py + dy) - radius, max(py, py + dy) + radius
    lz, hz = min(pz, pz + dz) - radius, max(pz, pz + dz) + radius
    stack = np.empty(64, np.int32)
    stack[0] = root
    top = 1
    while top > 0:
        top -= 1
        node = stack[top]
        box = bounds[node]
        if lx > box[3] or hx < box[0] or ly > box[4] or hy < box[1] or lz > box[5] or hz < box[2]:
            continue
        if links[node, 0] >= 0:
            stack[top], stack[top + 1] = links[node, 0], links[node, 1]
            top += 2
            continue
        first = -1 - links[node, 0]
        for k in range(first, first + links[node, 1]):
            s, nx, ny, nz = _sweep_triangle(px, py, pz, dx, dy, dz, radius, triangles[k])
            if s < best:
                best, bx, by, bz = s, nx, ny, nz
    return best, bx, by, bz


def _resolve(
    position: Any, velocity: Any, displacement: Any, gained: Any, radius: Any, spans: Any, permitted: Any, bounciness: Any, friction: Any,
    obstacles: Any, triangles: Any, bounds: Any, links: Any, touched: Any, impact: Any, normals: Any,
) -> None:  # fmt: skip
    """Move every particle along its displacement, bouncing off what its rules say.

    permitted (k, n) uint8: which of k obstacles each particle meets; bounciness, friction (k, n) or (k, 1) float32; obstacles (k, 5) float64:
    root of its tree or −1 for a ball, then centre and radius. Out: touched (n,) int16 obstacle or −1; impact (n,) float32, the hardest
    impact's normal speed (m/s); normals (n, 3) float32 there.
    """
    # A parallel loop's index is unsigned: it is cast before it meets signed numbers.
    count = obstacles.shape[0]
    one_span = spans.shape[0] == 1
    for i in parallel_range(position.shape[0]):
        px, py, pz = np.float64(position[i, 0]), np.float64(position[i, 1]), np.float64(position[i, 2])
        dx, dy, dz = np.float64(displacement[i, 0]), np.float64(displacement[i, 1]), np.float64(displacement[i, 2])
        vx, vy, vz = np.float64(velocity[i, 0]), np.float64(velocity[i, 1]), np.float64(velocity[i, 2])
        kx, ky, kz = np.float64(gained[i, 0]), np.float64(gained[i, 1]), np.float64(gained[i, 2])
        span = np.float64(spans[0] if one_span else spans[i])
        size = max(np.float64(radius[i]), SMALLEST_RADIUS)
        touched[i] = -1
        impact[i] = 0.0
        left = 1.0
        for _touch in range(MOST_TOUCHES):
            best, nx, ny, nz, struck = 2.0, 0.0, 0.0, 0.0, -1
            for k in range(count):
                if permitted[k, i] == 0:
                    continue
                root = np.int32(obstacles[k, 0])
                if root >= 0:
                    s, ax, ay, az = _sweep_mesh(px, py, pz, dx, dy, dz, size, triangles, bounds, links, root)
                else:
                    mx, my, mz = px - obstacles[k, 1], py - obstacles[k, 2], pz - obstacles[k, 3]
                    s = _meets_ball(mx, my, mz, dx, dy, dz, obstacles[k, 4] + size)
                    ax, ay, az = mx + dx * s, my + dy * s, mz + dz * s
                    far = np.sqrt(ax * ax + ay * ay + az * az)
                    if far > 1e-12:
                        ax, ay, az = ax / far, ay / far, az / far
                    else:
                        ax, ay, az = 0.0, 1.0, 0.0
                if s < best:
                    best, nx, ny, nz, struck = s, ax, ay, az, k
            if struck < 0:
                px, py, pz = px + dx, py + dy, pz + dz
                left = 0.0
                break
            px, py, pz = px + dx * best + nx * SKIN, py + dy * best + ny * SKIN, pz + dz * best + nz * SKIN
            left *= 1.0 - best
            # The velocity at the moment of touch: what the pushes of the rest of the step have added is taken back first.
            hx, hy, hz = vx - kx * left, vy - ky * left, vz - kz * left
            speed = hx * nx + hy * ny + hz * nz
            resting = 1.5 * max(0.0, -(kx * nx + ky * ny + kz * nz)) + 1e-4
            own = np.int64(i) if bounciness.shape[1] > 1 else np.int64(0)
            bounce, rub = np.float64(bounciness[struck, own]), np.float64(friction[struck, own])
            if -speed > impact[i] or touched[i] < 0:
                touched[i] = struck
                impact[i] = max(np.float32(-speed), np.float32(0.0))
                normals[i, 0], normals[i, 1], normals[i, 2] = nx, ny, nz
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
            slide = np.sqrt(tx * tx + ty * ty + tz * tz)
            keep = max(0.0, 1.0 - rub * (1.0 + bounce) * pressed / slide) if slide > 1e-12 else 0.0
            out = bounce * pressed if speed < 0.0 else speed
            hx, hy, hz = tx * keep + out * nx, ty * keep + out * ny, tz * keep + out * nz
            # What is left of the step is a straight way at its mean velocity, which keeps falls and slides exact.
            rest = span * left
            if rests:
                dx, dy, dz = (ox + hx) * 0.5 * rest, (oy + hy) * 0.5 * rest, (oz + hz) * 0.5 * rest
            else:
                dx, dy, dz = (hx + kx * left * 0.5) * rest, (hy + ky * left * 0.5) * rest, (hz + kz * left * 0.5) * rest
            vx, vy, vz = hx + kx * left, hy + ky * left, hz + kz * left
            if left <= 0.0 or dx * dx + dy * dy + dz * dz < AT_REST:
                break
        position[i, 0], position[i, 1], position[i, 2] = px, py, pz
        velocity[i, 0], velocity[i, 1], velocity[i, 2] = vx, vy, vz


resolve = Kernel(_resolve, serial_below=500)
