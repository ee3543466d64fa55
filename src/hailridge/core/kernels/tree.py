"""A bounding volume hierarchy over triangles, stored flat, for contact and closest points.

Rows are indexed where they stand, never taken out as arrays of their own: each would count its references, atomically, and threads would wait for one
another.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from hailridge.core.kernels.array_types import Float32Rows, Float64, Float64Rows, Float64s, Int32Rows, Int32s, Int64, UInt8s
from hailridge.core.kernels.compiling import helper, kernel, unowned, whole

LEAF = 4
"""Triangles in a leaf."""

DEPTH = 64
"""Nodes that wait to be looked into; allocated once a span, since allocating for each item takes as long as the item.

Kernels touch that room once more at their end, so that it outlives the array that nobody owns."""


@whole
def build(low: Float64Rows, high: Float64Rows) -> Any:
    """Build from triangle bounds (f, 3) each. Returns order (f,) int32, bounds (m, 6) float64, links (m, 2) int32.

    links: (left child, right child) of an inner node, or (−1 − first, count) of a leaf over `order`.
    """
    count = low.shape[0]
    order = np.arange(count).astype(np.int32)
    bounds = np.empty((max(1, 2 * count), 6), np.float64)
    links = np.zeros((max(1, 2 * count), 2), np.int32)
    stack = np.empty((128, 3), np.int32)
    stack[0] = np.array([0, 0, count], np.int32)
    top, used = 1, 1
    while top > 0:
        top -= 1
        node, first, last = stack[top, 0], stack[top, 1], stack[top, 2]
        for axis in range(3):
            smallest, largest = np.inf, -np.inf
            for k in range(first, last):
                smallest = min(smallest, low[order[k], axis])
                largest = max(largest, high[order[k], axis])
            bounds[node, axis], bounds[node, axis + 3] = smallest, largest
        if last - first <= LEAF:
            links[node, 0], links[node, 1] = -1 - first, last - first
            continue
        widest, axis_of = -1.0, 0
        for axis in range(3):
            smallest, largest = np.inf, -np.inf
            for k in range(first, last):
                middle = low[order[k], axis] + high[order[k], axis]
                smallest, largest = min(smallest, middle), max(largest, middle)
            if largest - smallest > widest:
                widest, axis_of = largest - smallest, axis
        members = order[first:last].copy()
        middles = np.empty(last - first, np.float64)
        for k in range(last - first):
            middles[k] = low[members[k], axis_of] + high[members[k], axis_of]
        ranked = np.argsort(middles, kind="mergesort")
        for k in range(last - first):
            order[first + k] = members[ranked[k]]
        half = (first + last) // 2
        links[node, 0], links[node, 1] = used, used + 1
        stack[top] = np.array([used, first, half], np.int32)
        stack[top + 1] = np.array([used + 1, half, last], np.int32)
        top += 2
        used += 2
    return order, bounds[:used].copy(), links[:used].copy()


@whole
def refit(low: Float64Rows, high: Float64Rows, order: Int32s, links: Int32Rows) -> Any:
    """Bounds (m, 6) of a tree whose triangles have moved: low, high (f, 3); order and links as `build` gave them."""
    nodes = links.shape[0]
    bounds = np.empty((nodes, 6), np.float64)
    # Children come after their parents, so going backward finds them done.
    for back in range(nodes):
        node = nodes - 1 - back
        for axis in range(3):
            if links[node, 0] >= 0:
                left, right = links[node, 0], links[node, 1]
                bounds[node, axis] = min(bounds[left, axis], bounds[right, axis])
                bounds[node, axis + 3] = max(bounds[left, axis + 3], bounds[right, axis + 3])
            else:
                first = -1 - links[node, 0]
                smallest, largest = np.inf, -np.inf
                for k in range(first, first + links[node, 1]):
                    smallest = min(smallest, low[order[k], axis])
                    largest = max(largest, high[order[k], axis])
                bounds[node, axis], bounds[node, axis + 3] = smallest, largest
    return bounds


@helper
def closest_on_triangle(px, py, pz, triangles, k):  # type: ignore[no-untyped-def]
    """Closest point of triangle k (its first 9 numbers: a, b, c) to p, after Ericson, Real-Time Collision Detection, 5.1.5 (from memory)."""
    ax, ay, az = triangles[k, 0], triangles[k, 1], triangles[k, 2]
    bax, bay, baz = triangles[k, 3] - ax, triangles[k, 4] - ay, triangles[k, 5] - az
    cax, cay, caz = triangles[k, 6] - ax, triangles[k, 7] - ay, triangles[k, 8] - az
    apx, apy, apz = px - ax, py - ay, pz - az
    d1 = bax * apx + bay * apy + baz * apz
    d2 = cax * apx + cay * apy + caz * apz
    qx, qy, qz = ax, ay, az
    if not (d1 <= 0.0 and d2 <= 0.0):
        bpx, bpy, bpz = px - triangles[k, 3], py - triangles[k, 4], pz - triangles[k, 5]
        d3 = bax * bpx + bay * bpy + baz * bpz
        d4 = cax * bpx + cay * bpy + caz * bpz
        cpx, cpy, cpz = px - triangles[k, 6], py - triangles[k, 7], pz - triangles[k, 8]
        d5 = bax * cpx + bay * cpy + baz * cpz
        d6 = cax * cpx + cay * cpy + caz * cpz
        vc = d1 * d4 - d3 * d2
        vb = d5 * d2 - d1 * d6
        va = d3 * d6 - d5 * d4
        if d3 >= 0.0 and d4 <= d3:
            qx, qy, qz = triangles[k, 3], triangles[k, 4], triangles[k, 5]
        elif vc <= 0.0 and d1 >= 0.0 and d3 <= 0.0:
            s = d1 / (d1 - d3)
            qx, qy, qz = ax + s * bax, ay + s * bay, az + s * baz
        elif d6 >= 0.0 and d5 <= d6:
            qx, qy, qz = triangles[k, 6], triangles[k, 7], triangles[k, 8]
        elif vb <= 0.0 and d2 >= 0.0 and d6 <= 0.0:
            s = d2 / (d2 - d6)
            qx, qy, qz = ax + s * cax, ay + s * cay, az + s * caz
        elif va <= 0.0 and d4 - d3 >= 0.0 and d5 - d6 >= 0.0:
            s = (d4 - d3) / ((d4 - d3) + (d5 - d6))
            qx = triangles[k, 3] + s * (triangles[k, 6] - triangles[k, 3])
            qy = triangles[k, 4] + s * (triangles[k, 7] - triangles[k, 4])
            qz = triangles[k, 5] + s * (triangles[k, 8] - triangles[k, 5])
        else:
            total = va + vb + vc
            if total != 0.0:
                v, w = vb / total, vc / total
                qx, qy, qz = ax + bax * v + cax * w, ay + bay * v + cay * w, az + baz * v + caz * w
    return qx, qy, qz


@helper
def _box_distance(px, py, pz, bounds, node):  # type: ignore[no-untyped-def]
    """Square of the distance from a place to the box of a node; 0 inside."""
    dx = max(bounds[node, 0] - px, 0.0, px - bounds[node, 3])
    dy = max(bounds[node, 1] - py, 0.0, py - bounds[node, 4])
    dz = max(bounds[node, 2] - pz, 0.0, pz - bounds[node, 5])
    return dx * dx + dy * dy + dz * dz


@kernel(serial_below=800)
def closest(
    begin: Int64, end: Int64, points: Float64Rows, triangles: Float64Rows, bounds: Float64Rows, links: Int32Rows, reach: Float64, out: Float64Rows,
    distances: Float64s, faces: Int32s,
) -> None:  # fmt: skip
    """Closest points of the mesh: points (n, 3) float64, triangles (f, 13) in tree order; out (n, 3), distances (n,) float64, faces (n,) int32 in
    tree order.

    What is further away than `reach` (metres; infinity looks all the way) is given the distance `reach`, no place and the face −1.
    """
    room, more = np.empty(DEPTH, np.int32), np.empty(DEPTH, np.float64)
    stack, aways = unowned(room), unowned(more)
    for i in range(begin, end):
        px, py, pz = points[i, 0], points[i, 1], points[i, 2]
        best = reach * reach
        out[i, 0], out[i, 1], out[i, 2] = px, py, pz
        faces[i] = -1
        stack[0] = 0
        aways[0] = _box_distance(px, py, pz, bounds, 0)
        top = 1
        while top > 0:
            top -= 1
            if aways[top] >= best:
                continue
            node = stack[top]
            if links[node, 0] >= 0:
                left, right = links[node, 0], links[node, 1]
                near, far = _box_distance(px, py, pz, bounds, left), _box_distance(px, py, pz, bounds, right)
                if far < near:
                    left, right, near, far = right, left, far, near
                # The nearer half is looked into first: it mostly rules out the other.
                stack[top], aways[top] = right, far
                stack[top + 1], aways[top + 1] = left, near
                top += 2
                continue
            first = -1 - links[node, 0]
            for k in range(first, first + links[node, 1]):
                qx, qy, qz = closest_on_triangle(px, py, pz, triangles, k)
                square = (px - qx) ** 2 + (py - qy) ** 2 + (pz - qz) ** 2
                if square < best:
                    best = square
                    faces[i] = k
                    out[i, 0], out[i, 1], out[i, 2] = qx, qy, qz
        distances[i] = np.sqrt(best)
    room[0], more[0] = 0, 0.0


@helper
def crossings(px, py, pz, dx, dy, dz, triangles, bounds, links, stack):  # type: ignore[no-untyped-def]
    """How many triangles a ray meets, and how many more of them from behind than from the front.

    Möller and Trumbore 1997, "Fast, minimum storage ray/triangle intersection".
    """
    met = 0
    leaving = 0
    rx, ry, rz = 1.0 / dx, 1.0 / dy, 1.0 / dz
    stack[0] = 0
    top = 1
    while top > 0:
        top -= 1
        node = stack[top]
        ax, bx = (bounds[node, 0] - px) * rx, (bounds[node, 3] - px) * rx
        ay, by = (bounds[node, 1] - py) * ry, (bounds[node, 4] - py) * ry
        az, bz = (bounds[node, 2] - pz) * rz, (bounds[node, 5] - pz) * rz
        near = max(min(ax, bx), min(ay, by), min(az, bz))
        far = min(max(ax, bx), max(ay, by), max(az, bz))
        if far < max(near, 0.0):
            continue
        if links[node, 0] >= 0:
            stack[top], stack[top + 1] = links[node, 0], links[node, 1]
            top += 2
            continue
        first = -1 - links[node, 0]
        for k in range(first, first + links[node, 1]):
            ex, ey, ez = triangles[k, 3] - triangles[k, 0], triangles[k, 4] - triangles[k, 1], triangles[k, 5] - triangles[k, 2]
            fx, fy, fz = triangles[k, 6] - triangles[k, 0], triangles[k, 7] - triangles[k, 1], triangles[k, 8] - triangles[k, 2]
            hx, hy, hz = dy * fz - dz * fy, dz * fx - dx * fz, dx * fy - dy * fx
            a = ex * hx + ey * hy + ez * hz
            if a == 0.0:
                continue
            sx, sy, sz = px - triangles[k, 0], py - triangles[k, 1], pz - triangles[k, 2]
            u = (sx * hx + sy * hy + sz * hz) / a
            qx, qy, qz = sy * ez - sz * ey, sz * ex - sx * ez, sx * ey - sy * ex
            v = (dx * qx + dy * qy + dz * qz) / a
            if u >= 0.0 and v >= 0.0 and u + v <= 1.0 and (fx * qx + fy * qy + fz * qz) / a > 0.0:
                met += 1
                leaving += 1 if a < 0.0 else -1
    return met, leaving


@kernel(serial_below=1_000)
def inside(begin: Int64, end: Int64, points: Float64Rows, triangles: Float64Rows, bounds: Float64Rows, links: Int32Rows, out: UInt8s) -> None:
    """Points (n, 3) float64 from which rays leave through an odd number of triangles; two of three rays decide, so that a ray through
    an edge, or one hole, does not. Where all three rays leave a surface twice or more, it overlaps itself: that is inside too.
    out (n,) uint8: 1 inside, 2 where it overlaps itself.
    """
    room = np.empty(DEPTH, np.int32)
    stack = unowned(room)
    for i in range(begin, end):
        px, py, pz = points[i, 0], points[i, 1], points[i, 2]
        out[i] = 0
        if not (bounds[0, 0] <= px <= bounds[0, 3] and bounds[0, 1] <= py <= bounds[0, 4] and bounds[0, 2] <= pz <= bounds[0, 5]):
            continue
        first, leaving = crossings(px, py, pz, 0.8512, 0.3307, 0.4078, triangles, bounds, links, stack)
        second, also = crossings(px, py, pz, -0.2713, 0.8891, 0.3686, triangles, bounds, links, stack)
        votes = (first & 1) + (second & 1)
        overlapping = leaving == also and abs(leaving) >= 2
        if votes == 1 or overlapping:
            third, too = crossings(px, py, pz, 0.1187, -0.4419, 0.8892, triangles, bounds, links, stack)
            votes += third & 1
            overlapping = overlapping and too == leaving
        if overlapping:
            out[i] = 2
        elif votes >= 2:
            out[i] = 1
    room[0] = 0


@kernel()
def sample(
    begin: Int64, end: Int64, u: Float32Rows, heights: Float64s, vertices: Float32Rows, faces: Int32Rows, out: Float32Rows, chosen: Int32s
) -> None:
    """Points spread evenly by area: u (n, ≥ 3) uniform, heights (f,) running sum of areas, out (n, 3) float32, chosen (n,) int32 face."""
    for i in range(begin, end):
        target = np.float64(u[i, 0]) * heights[-1]
        face = min(np.searchsorted(heights, target, side="right"), faces.shape[0] - 1)
        chosen[i] = face
        # The square root makes the triangle's inside even (Osada et al. 2002, "Shape distributions").
        root = np.sqrt(np.float64(u[i, 1]))
        a, b, c = 1.0 - root, root * (1.0 - np.float64(u[i, 2])), root * np.float64(u[i, 2])
        for axis in range(3):
            out[i, axis] = np.float32(
                a * vertices[faces[face, 0], axis] + b * vertices[faces[face, 1], axis] + c * vertices[faces[face, 2], axis]
            )


@whole
def thin(points: Float64Rows, distance: Float64, kept: UInt8s) -> None:
    """Keep points, in their order, that are at least `distance` from all kept before (dart throwing): points (n, 3) float64, kept (n,) uint8.

    Serial by nature: each choice depends on those before it. A hash grid with cells of that size finds who is near.
    """
    count = points.shape[0]
    slots = 1
    while slots < 2 * count + 1:
        slots *= 2
    heads = np.full(slots, -1, np.int64)
    following = np.full(count, -1, np.int64)
    limit = distance * distance
    for i in range(count):
        cx, cy, cz = np.floor(points[i, 0] / distance), np.floor(points[i, 1] / distance), np.floor(points[i, 2] / distance)
        free = True
        for near in range(27):
            nx, ny, nz = np.int64(cx) + near % 3 - 1, np.int64(cy) + (near // 3) % 3 - 1, np.int64(cz) + near // 9 - 1
            other = heads[((nx * 73856093) ^ (ny * 19349663) ^ (nz * 83492791)) & (slots - 1)]
            while other >= 0 and free:
                dx, dy, dz = points[other, 0] - points[i, 0], points[other, 1] - points[i, 1], points[other, 2] - points[i, 2]
                free = dx * dx + dy * dy + dz * dz >= limit
                other = following[other]
            if not free:
                break
        kept[i] = 1 if free else 0
        if free:
            home = ((np.int64(cx) * 73856093) ^ (np.int64(cy) * 19349663) ^ (np.int64(cz) * 83492791)) & (slots - 1)
            following[i] = heads[home]
            heads[home] = i

