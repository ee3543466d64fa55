"""Where on its way a ball first meets a ball or triangles: found exactly (face, edges and corners of each triangle), so nothing tunnels."""

from __future__ import annotations

import numpy as np

from hailridge.core.kernels.compiling import helper
from hailridge.core.kernels.tree import closest_on_triangle


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
def leaves_ball(mx, my, mz, dx, dy, dz, radius):  # type: ignore[no-untyped-def]
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
                if toward < 0.0:
                    # Just touching, one of the two distances may be rounded to less than the radius: nothing slips through between them.
                    s = max(side - radius, 0.0) / -toward
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
def sweep_mesh(px, py, pz, dx, dy, dz, radius, triangles, bounds, links, root, stack):  # type: ignore[no-untyped-def]
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
