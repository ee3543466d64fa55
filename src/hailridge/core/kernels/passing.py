"""Triangles that move: when and where the first of them passes over a place that stands still."""

from __future__ import annotations

import numpy as np

from hailridge.core.kernels.array_types import Float64Rows, Float64s, Int32Rows, Int32s, Int64
from hailridge.core.kernels.compiling import helper, kernel, unowned
from hailridge.core.kernels.tree import DEPTH

HALVINGS = 60
"""How often the time between two signs is halved: to the last bit."""

SEAM = 1e-9
"""By how much of a triangle a place may lie outside of it and still be met, so that nothing slips between two."""


@helper
def _at(c0, c1, c2, c3, t):  # type: ignore[no-untyped-def]
    return c0 + t * (c1 + t * (c2 + t * c3))


@helper
def _root(c0, c1, c2, c3, low, high):  # type: ignore[no-untyped-def]
    """Where the cubic changes its sign between `low` and `high`; 2 where it does not. It has no turning point between them."""
    first, last = _at(c0, c1, c2, c3, low), _at(c0, c1, c2, c3, high)
    if first == 0.0:
        return low
    if first * last > 0.0:
        return 2.0
    for _halving in range(HALVINGS):
        middle = 0.5 * (low + high)
        value = _at(c0, c1, c2, c3, middle)
        if value * first > 0.0:
            low = middle
        else:
            high = middle
    return high


@helper
def _passes(px, py, pz, start, end, k, before):  # type: ignore[no-untyped-def]
    """First t in [0, `before`) at which triangle k, on its straight way from start to end, passes over p: (t, v, w), the place on it as
    a + v·(b − a) + w·(c − a); t = 2 when it does not.

    The volume that it spans with p is a cubic in t (three corners and p in one plane: Provot 1997, "Collision and self-collision handling in cloth
    model dedicated to design garments").
    """
    ax, ay, az = start[k, 0], start[k, 1], start[k, 2]
    aX, aY, aZ = end[k, 0] - ax, end[k, 1] - ay, end[k, 2] - az
    ex, ey, ez = start[k, 3] - ax, start[k, 4] - ay, start[k, 5] - az
    fx, fy, fz = start[k, 6] - ax, start[k, 7] - ay, start[k, 8] - az
    gx, gy, gz = end[k, 3] - end[k, 0] - ex, end[k, 4] - end[k, 1] - ey, end[k, 5] - end[k, 2] - ez
    hx, hy, hz = end[k, 6] - end[k, 0] - fx, end[k, 7] - end[k, 1] - fy, end[k, 8] - end[k, 2] - fz
    mx, my, mz = px - ax, py - ay, pz - az
    n0x, n0y, n0z = ey * fz - ez * fy, ez * fx - ex * fz, ex * fy - ey * fx
    n1x, n1y, n1z = ey * hz - ez * hy + gy * fz - gz * fy, ez * hx - ex * hz + gz * fx - gx * fz, ex * hy - ey * hx + gx * fy - gy * fx
    n2x, n2y, n2z = gy * hz - gz * hy, gz * hx - gx * hz, gx * hy - gy * hx
    c0 = n0x * mx + n0y * my + n0z * mz
    c1 = n1x * mx + n1y * my + n1z * mz - (n0x * aX + n0y * aY + n0z * aZ)
    c2 = n2x * mx + n2y * my + n2z * mz - (n1x * aX + n1y * aY + n1z * aZ)
    c3 = -(n2x * aX + n2y * aY + n2z * aZ)
    # The cubic turns at most twice; between its turns it has one root at most.
    first, second = 2.0, 2.0
    a, b, c = 3.0 * c3, 2.0 * c2, c1
    if a != 0.0:
        square = b * b - 4.0 * a * c
        if square > 0.0:
            q = -0.5 * (b + np.sqrt(square)) if b >= 0.0 else -0.5 * (b - np.sqrt(square))
            first = q / a
            second = c / q if q != 0.0 else 2.0
    elif b != 0.0:
        first = -c / b
    if first > second:
        first, second = second, first
    low = 0.0
    best, bv, bw = 2.0, 0.0, 0.0
    for piece in range(3):
        high = first if piece == 0 else second if piece == 1 else 1.0
        if not (high > low):
            continue
        high = min(high, 1.0)
        t = _root(c0, c1, c2, c3, low, high)
        low = high
        if t >= before or best <= 1.0:
            continue
        ux, uy, uz = ex + t * gx, ey + t * gy, ez + t * gz
        vx, vy, vz = fx + t * hx, fy + t * hy, fz + t * hz
        qx, qy, qz = mx - t * aX, my - t * aY, mz - t * aZ
        uu, uv, vv = ux * ux + uy * uy + uz * uz, ux * vx + uy * vy + uz * vz, vx * vx + vy * vy + vz * vz
        uq, vq = ux * qx + uy * qy + uz * qz, vx * qx + vy * qy + vz * qz
        area = uu * vv - uv * uv
        if area <= 0.0:
            continue
        v, w = (vv * uq - uv * vq) / area, (uu * vq - uv * uq) / area
        if v >= -SEAM and w >= -SEAM and v + w <= 1.0 + SEAM:
            best, bv, bw = t, v, w
    return best, bv, bw


@kernel(serial_below=500)
def passed_over(
    begin: Int64, end: Int64, points: Float64Rows, first: Float64Rows, last: Float64Rows, bounds: Float64Rows, links: Int32Rows, faces: Int32s,
    places: Float64Rows, times: Float64s,
) -> None:  # fmt: skip
    """By which triangle each place is passed over first: points (n, 3); first, last (f, ≥ 9) corners in tree order; bounds (m, 6) round their ways.

    Out: faces (n,) int32, −1 for none; places (n, 2), where on the triangle; times (n,), shares of the way.
    """
    room = np.empty(DEPTH, np.int32)
    stack = unowned(room)
    for i in range(begin, end):
        px, py, pz = points[i, 0], points[i, 1], points[i, 2]
        faces[i], times[i] = -1, 2.0
        places[i, 0], places[i, 1] = 0.0, 0.0
        stack[0] = 0
        top = 1
        while top > 0:
            top -= 1
            node = stack[top]
            if px < bounds[node, 0] or px > bounds[node, 3] or py < bounds[node, 1] or py > bounds[node, 4]:
                continue
            if pz < bounds[node, 2] or pz > bounds[node, 5]:
                continue
            if links[node, 0] >= 0:
                stack[top], stack[top + 1] = links[node, 0], links[node, 1]
                top += 2
                continue
            leaf = -1 - links[node, 0]
            for k in range(leaf, leaf + links[node, 1]):
                t, v, w = _passes(px, py, pz, first, last, k, times[i])
                if t < times[i]:
                    times[i], faces[i] = t, k
                    places[i, 0], places[i, 1] = v, w
    room[0] = 0
