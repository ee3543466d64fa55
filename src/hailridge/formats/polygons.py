"""Cutting faces of any number of corners into triangles: those that bulge as fans, those with a dent by ear clipping."""

from __future__ import annotations

from typing import Any

import mapbox_earcut
import numpy as np
from numpy.typing import NDArray

Places = NDArray[np.float64]
Corners = NDArray[Any]


def triangles_of(places: Places, numbers: Corners, indices: Corners) -> Corners:
    """Triangles of the faces of a mesh.

    Parameters
    ----------
    places : (v, 3) float64
    numbers : (p,) int
        Corners of each face; faces of fewer than three are left out.
    indices : (sum of numbers,) int
        Vertices of the faces, one face after another, all within `places`.

    Returns
    -------
    (f, 3) int
        Wound as the faces are.
    """
    numbers = np.asarray(numbers, np.int64)
    starts = np.cumsum(numbers) - numbers
    dented = np.zeros(len(numbers), np.bool_)
    for count in np.unique(numbers[numbers > 3]):
        alike = np.flatnonzero(numbers == count)
        # In bites: a large mesh of quadrilaterals would need a gigabyte at once.
        for rows in np.array_split(alike, -(-len(alike) * count // 2_000_000)):
            dented[rows] = _dented(places[indices[starts[rows, None] + np.arange(count)]])
    pieces = [_fans(numbers[~dented], starts[~dented], indices)]
    for face in np.flatnonzero(dented):
        corners = indices[starts[face] : starts[face] + numbers[face]]
        pieces.append(corners[_clipped(places[corners])])
    return np.concatenate(pieces)


def _fans(numbers: Corners, starts: Corners, indices: Corners) -> Corners:
    fans = np.maximum(numbers - 2, 0)
    face = np.repeat(np.arange(len(numbers)), fans)
    step = np.arange(int(fans.sum())) - np.repeat(np.cumsum(fans) - fans, fans)
    first = starts[face]
    return np.stack([indices[first], indices[first + step + 1], indices[first + step + 2]], axis=1) if len(face) else np.empty((0, 3), np.int64)


def _normals(corners: Places) -> Places:
    """Newell's normals of polygons (p, k, 3): (p, 3), as long as twice the area."""
    following = np.roll(corners, -1, axis=1)
    return np.asarray(np.cross(corners, following).sum(axis=1))


def _dented(corners: Places) -> NDArray[np.bool_]:
    """Which polygons (p, k, 3) turn the other way at some corner."""
    centred = corners - corners.mean(axis=1, keepdims=True)
    along = np.roll(centred, -1, axis=1) - centred
    turns = np.cross(along, np.roll(along, -1, axis=1))
    agreement = np.einsum("pkc,pc->pk", turns, _normals(centred))
    # Corners on a straight line turn by nothing, give or take rounding.
    return np.asarray((agreement < -1e-9 * np.abs(agreement).max(axis=1, keepdims=True)).any(axis=1))


def _clipped(corners: Places) -> Corners:
    """Triangles (f, 3) of one polygon (k, 3), as numbers of its corners, wound as it is."""
    centred = corners - corners.mean(axis=0)
    normal = _normals(centred[None])[0]
    dropped = int(np.abs(normal).argmax())
    # Without the axis that it faces most the polygon is flat, and keeps its winding where the two that are left keep their order of turning.
    kept = [(dropped + 1) % 3, (dropped + 2) % 3] if normal[dropped] >= 0 else [(dropped + 2) % 3, (dropped + 1) % 3]
    flat = np.ascontiguousarray(centred[:, kept])
    found = mapbox_earcut.triangulate_float64(flat, np.array([len(flat)], np.uint32)).reshape(-1, 3).astype(np.int64)
    a, b, c = (flat[found[:, k]] for k in range(3))
    turned = (b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0]) < 0
    found[turned] = found[turned][:, ::-1]
    return np.asarray(found)
