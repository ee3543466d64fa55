"""A bounding volume hierarchy over triangles, stored flat, for contact and closest points."""

from __future__ import annotations

from typing import Any

import numpy as np

from hailridge.core.kernels.compiling import Kernel, compiled, helper, parallel_range

LEAF = 4


@compiled
def build(low: Any, high: Any) -> Any:
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


@helper
def closest_on_triangle(px, py, pz, t):  # type: ignore[no-untyped-def]
    """Closest point of triangle t (its first 9 numbers: a, b, c) to p, after Ericson, Real-Time Collision Detection, 5.1.5 (from memory)."""
    ax, ay, az = t[0], t[1], t[2]
    bax, bay, baz = t[3] - ax, t[4] - ay, t[5] - az
    cax, cay, caz = t[6] - ax, t[7] - ay, t[8] - az
    apx, apy, apz = px - ax, py - ay, pz - az
    d1 = bax * apx + bay * apy + baz * apz
    d2 = cax * apx + cay * apy + caz * apz
    qx, qy, qz = ax, ay, az
    if not (d1 <= 0.0 and d2 <= 0.0):
        bpx, bpy, bpz = px - t[3], py - t[4], pz - t[5]
        d3 = bax * bpx + bay * bpy + baz * bpz
        d4 = cax * bpx + cay * bpy + caz * bpz
        cpx, cpy, cpz = px - t[6], py - t[7], pz - t[8]
        d5 = bax * cpx + bay * cpy + baz * cpz
        d6 = cax * cpx + cay * cpy + caz * cpz
        vc = d1 * d4 - d3 * d2
        vb = d5 * d2 - d1 * d6
        va = d3 * d6 - d5 * d4
        if d3 >= 0.0 and d4 <= d3:
            qx, qy, qz = t[3], t[4], t[5]
        elif vc <= 0.0 and d1 >= 0.0 and d3 <= 0.0:
            s = d1 / (d1 - d3)
            qx, qy, qz = ax + s * bax, ay + s * bay, az + s * baz
        elif d6 >= 0.0 and d5 <= d6:
            qx, qy, qz = t[6], t[7], t[8]
        elif vb <= 0.0 and d2 >= 0.0 and d6 <= 0.0:
            s = d2 / (d2 - d6)
            qx, qy, qz = ax + s * cax, ay + s * cay, az + s * caz
        elif va <= 0.0 and d4 - d3 >= 0.0 and d5 - d6 >= 0.0:
            s = (d4 - d3) / ((d4 - d3) + (d5 - d6))
            qx, qy, qz = t[3] + s * (t[6] - t[3]), t[4] + s * (t[7] - t[4]), t[5] + s * (t[8] - t[5])
        else:
            total = va + vb + vc
            if total != 0.0:
                v, w = vb / total, vc / total
                qx, qy, qz = ax + bax * v + cax * w, ay + bay * v + cay * w, az + baz * v + caz * w
    return qx, qy, qz


def _closest(points: Any, triangles: Any, bounds: Any, links: Any, out: Any, distances: Any) -> None:
    """Closest points of the mesh: points (n, 3) float64, triangles (f, 13) in tree order; out (n, 3), distances (n,) float64."""
    for i in parallel_range(points.shape[0]):
        px, py, pz = points[i, 0], points[i, 1], points[i, 2]
        best = np.inf
        stack = np.empty(64, np.int32)
        stack[0] = 0
        top = 1
        while top > 0:
            top -= 1
            node = stack[top]
            dx = max(bounds[node, 0] - px, 0.0, px - bounds[node, 3])
            dy = max(bounds[node, 1] - py, 0.0, py - bounds[node, 4])
            dz = max(bounds[node, 2] - pz, 0.0, pz - bounds[node, 5])
            if dx * dx + dy * dy + dz * dz >= best:
                continue
            if links[node, 0] >= 0:
                stack[top], stack[top + 1] = links[node, 0], links[node, 1]
                top += 2
                continue
            first = -1 - links[node, 0]
            for k in range(first, first + links[node, 1]):
                qx, qy, qz = closest_on_triangle(px, py, pz, triangles[k])
                far = (px - qx) ** 2 + (py - qy) ** 2 + (pz - qz) ** 2
                if far < best:
                    best = far
                    out[i, 0], out[i, 1], out[i, 2] = qx, qy, qz
        distances[i] = np.sqrt(best)


closest = Kernel(_closest)
