"""Surfaces made by turning an outline about the y axis."""

from __future__ import annotations

import numpy as np

from hailridge.core.space.geometry import Geometry


def revolved(outline: list[tuple[float, float]], segments: int = 48, closed: bool = False) -> Geometry:
    """Turn an outline of (radius, height) pairs about y. Outlines run upward on the outside, so that faces look outward.

    Places on the axis become one vertex; triangles without area are left out. `closed` joins the last pair to the first.
    """
    points = np.array(outline, np.float64)
    around = np.linspace(0, 2 * np.pi, segments, endpoint=False)
    grid = np.stack(
        [points[:, :1] * np.cos(around), np.broadcast_to(points[:, 1:], (len(points), segments)), points[:, :1] * np.sin(around)], axis=-1
    )
    index = np.arange(len(points) * segments).reshape(len(points), segments)
    on_axis = points[:, 0] < 1e-12
    index[on_axis] = index[on_axis][:, :1]
    rows = np.arange(len(points))
    lower, upper = (rows, np.roll(rows, -1)) if closed else (rows[:-1], rows[1:])
    a, b = index[lower], index[upper]
    c, d = np.roll(b, -1, axis=1), np.roll(a, -1, axis=1)
    faces = np.concatenate([np.stack([a, b, c], axis=-1).reshape(-1, 3), np.stack([a, c, d], axis=-1).reshape(-1, 3)])
    kept = (faces[:, 0] != faces[:, 1]) & (faces[:, 1] != faces[:, 2]) & (faces[:, 2] != faces[:, 0])
    used, renumbered = np.unique(faces[kept], return_inverse=True)
    return Geometry(grid.reshape(-1, 3)[used].astype(np.float32), renumbered.reshape(-1, 3).astype(np.int32))
