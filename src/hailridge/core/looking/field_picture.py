"""Fields made visible: their boundaries as surfaces, and a slice through them."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import product
from typing import Any

import numpy as np
from numpy.typing import NDArray

from hailridge.core.scene.plan import Scene

Box = tuple[NDArray[np.float64], NDArray[np.float64]]
"""Lowest and highest corner, (3,) m each."""

ACROSS = 40
"""Cells of the longest side when a boundary is looked for."""

SLICE = 160
"""Places along the longer side of a slice."""


def picture_box(scene: Scene, field: Any, everything: Box) -> Box:
    """Where to look: where the field can be above zero, or all of the scene where that is everywhere."""
    reach = field.reach(scene)
    low, high = everything if reach is None else reach
    margin = 0.06 * float(np.max(high - low)) + 1e-3
    return low - margin, high + margin


@dataclass
class Boundary:
    """A surface on which a field has one value: vertices (v, 3) float32 m, faces (f, 3) int32."""

    name: str
    vertices: NDArray[np.float32]
    faces: NDArray[np.int32]


def boundaries(scene: Scene, field: Any, box: Box, time: float) -> list[Boundary]:
    """The surfaces that tell where a field begins and ends, as each kind of field names them."""
    low, high = box
    step = float(np.max(high - low)) / ACROSS
    counts = np.maximum(np.ceil((high - low) / step).astype(int), 2) + 1
    axes = [low[axis] + step * np.arange(counts[axis]) for axis in range(3)]
    places = np.stack(np.meshgrid(*axes, indexing="ij"), axis=-1).reshape(-1, 3).astype(np.float32)
    out = []
    for name, values, level in field.levels(scene, places, time):
        vertices, faces = surface(np.asarray(values, np.float64).reshape(counts) - level, low, step)
        out.append(Boundary(name, vertices, faces))
    return out


def surface(values: NDArray[np.float64], origin: NDArray[np.float64], step: float) -> tuple[NDArray[np.float32], NDArray[np.int32]]:
    """Where values (a, b, c) on a grid pass zero: one vertex a cell, at the mean of its crossings, joined across the edges that are crossed
    (Gibson 1998, "Constrained elastic surface nets", without relaxing)."""
    inside = values > 0
    shape = np.array(values.shape) - 1
    corners = {offset: tuple(slice(o, o + n) for o, n in zip(offset, shape, strict=True)) for offset in product((0, 1), repeat=3)}
    number = sum(inside[view].astype(np.int8) for view in corners.values())
    mixed = (number > 0) & (number < 8)
    cells = np.argwhere(mixed)
    if len(cells) == 0:
        return np.zeros((0, 3), np.float32), np.zeros((0, 3), np.int32)
    index = np.full(tuple(shape), -1, np.int64)
    index[mixed] = np.arange(len(cells))
    total, weight = np.zeros((len(cells), 3)), np.zeros(len(cells))
    for axis in range(3):
        for offset in corners:
            if offset[axis]:
                continue
            other = tuple(1 if a == axis else o for a, o in enumerate(offset))
            first, second = values[corners[offset]][mixed], values[corners[other]][mixed]
            crossed = (first > 0) != (second > 0)
            share = np.where(crossed, first / np.where(crossed, first - second, 1), 0)
            place = np.array(offset, float) + share[:, None] * np.eye(3)[axis]
            total += np.where(crossed[:, None], place, 0)
            weight += crossed
    vertices = origin + step * (cells + total / weight[:, None])
    return vertices.astype(np.float32), _faces(inside, index)


def _faces(inside: NDArray[np.bool_], index: NDArray[np.int64]) -> NDArray[np.int32]:
    """Two triangles for each grid edge that is crossed, between the four cells around it; all facing outward."""
    quads = []
    for axis in range(3):
        one, other = (axis + 1) % 3, (axis + 2) % 3
        lower = [slice(None)] * 3
        lower[axis] = slice(0, -1)
        upper = list(lower)
        upper[axis] = slice(1, None)
        crossed = inside[tuple(lower)] != inside[tuple(upper)]
        leaving = inside[tuple(lower)]
        edges = np.argwhere(crossed)
        edges = edges[(edges[:, one] > 0) & (edges[:, other] > 0)]
        edges = edges[(edges[:, one] < index.shape[one]) & (edges[:, other] < index.shape[other])]
        around = []
        for back_one, back_other in ((1, 1), (0, 1), (0, 0), (1, 0)):
            cell = edges.copy()
            cell[:, one] -= back_one
            cell[:, other] -= back_other
            around.append(index[tuple(cell.T)])
        quad = np.stack(around, axis=1)
        turned = ~leaving[tuple(edges.T)]
        quad[turned] = quad[turned][:, ::-1]
        quads.append(quad[(quad >= 0).all(axis=1)])
    all_ = np.concatenate(quads)
    return np.concatenate([all_[:, [0, 1, 2]], all_[:, [0, 2, 3]]]).astype(np.int32)


@dataclass
class Slice:
    """A field's values on a plane: (h, w) bytes, 255 for 1. `corner`, `across` and `up` (3,) m span the plane."""

    values: NDArray[np.uint8]
    corner: list[float]
    across: list[float]
    up: list[float]


def slice_through(scene: Scene, field: Any, box: Box, axis: int, at: float, time: float) -> Slice:
    """Cut a field square to an axis (0 x, 1 y, 2 z) at `at` m along it."""
    low, high = box
    one, other = [a for a in range(3) if a != axis]
    step = max(high[one] - low[one], high[other] - low[other]) / SLICE
    width, height = (max(2, int(np.ceil((high[a] - low[a]) / step))) for a in (one, other))
    places = np.empty((height, width, 3))
    places[..., axis] = at
    places[..., one] = low[one] + (np.arange(width) + 0.5) / width * (high[one] - low[one])
    places[..., other] = (low[other] + (np.arange(height) + 0.5) / height * (high[other] - low[other]))[:, None]
    values = scene.field_strength(field.id, places.reshape(-1, 3).astype(np.float32), time).reshape(height, width)
    corner, across, up = np.zeros(3), np.zeros(3), np.zeros(3)
    corner[[axis, one, other]] = at, low[one], low[other]
    across[one], up[other] = high[one] - low[one], high[other] - low[other]
    return Slice((values * 255 + 0.5).astype(np.uint8), corner.tolist(), across.tolist(), up.tolist())


def scene_box(scene: Scene, positions: NDArray[np.float32]) -> Box:
    """Around all shapes of moderate size and most particles: what one would want to see."""
    lows, highs = [], []
    for pose in scene.poses:
        low, high = pose.world.bounds
        if np.isfinite(low).all() and float(np.max(high - low)) < 60:
            lows.append(low)
            highs.append(high)
    if len(positions) > 4:
        low, high = np.quantile(positions, [0.005, 0.995], axis=0)
        lows.append(low)
        highs.append(high)
    if not lows:
        return np.full(3, -2.0), np.full(3, 2.0)
    low, high = np.min(lows, axis=0).astype(np.float64), np.max(highs, axis=0).astype(np.float64)
    thin = (high - low) < 0.2
    return np.where(thin, low - 0.5, low), np.where(thin, high + 0.5, high)
