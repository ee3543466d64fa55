"""Orientations as unit quaternions (x, y, z, w), the order of glTF and SciPy; all arrays are float32, one row a particle."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

Rows4 = NDArray[np.float32]


def upright(number: int) -> Rows4:
    """That many orientations that turn nothing: (n, 4)."""
    return np.tile(np.array([0, 0, 0, 1], np.float32), (number, 1))


def product(outer: Any, inner: Any) -> Rows4:
    """First turn by `inner`, then by `outer`: (n, 4)."""
    ax, ay, az, aw = np.asarray(outer, np.float64).T
    bx, by, bz, bw = np.asarray(inner, np.float64).T
    out = np.stack(
        [
            aw * bx + ax * bw + ay * bz - az * by,
            aw * by - ax * bz + ay * bw + az * bx,
            aw * bz + ax * by - ay * bx + az * bw,
            aw * bw - ax * bx - ay * by - az * bz,
        ],
        axis=1,
    )
    return unit(out)


def unit(given: Any) -> Rows4:
    size = np.linalg.norm(given, axis=1, keepdims=True)
    return np.where(size > 1e-12, given / np.maximum(size, 1e-12), [0, 0, 0, 1]).astype(np.float32)


def about_axis(axes: Any, angles: Any) -> Rows4:
    """Turns about unit axes (n, 3) by angles (n,) in radians."""
    half = np.asarray(angles, np.float64)[:, None] / 2
    return np.concatenate([np.asarray(axes) * np.sin(half), np.cos(half)], axis=1).astype(np.float32)


def from_spin(vectors: Any) -> Rows4:
    """Turns by rotation vectors (n, 3): direction the axis, length the angle in radians."""
    vectors = np.asarray(vectors, np.float64)
    angles = np.linalg.norm(vectors, axis=1)
    return about_axis(vectors / np.maximum(angles, 1e-12)[:, None], angles)


def rotation_vectors(turns: Any) -> Any:
    """Axis times angle (radians) of turns (n, 4), the short way round: (n, 3)."""
    turns = np.asarray(turns, np.float64) * np.where(turns[:, 3:] < 0, -1, 1)
    sine = np.linalg.norm(turns[:, :3], axis=1)
    angle = 2 * np.arctan2(sine, turns[:, 3])
    return turns[:, :3] * (np.where(sine > 1e-9, angle / np.maximum(sine, 1e-9), 2.0))[:, None]


def align(start: Any, end: Any) -> Rows4:
    """The shortest turns that take unit vectors `start` (n, 3) to `end`; half a turn about any square axis where they are opposite."""
    a, b = np.asarray(start, np.float64), np.asarray(end, np.float64)
    w = 1 + np.sum(a * b, axis=1)
    axis = np.cross(a, b)
    opposite = w < 1e-7
    if opposite.any():
        other = np.where(np.abs(a[opposite, :1]) < 0.9, [[1.0, 0, 0]], [[0, 1.0, 0]])
        axis[opposite], w[opposite] = np.cross(a[opposite], other), 0.0
    return unit(np.concatenate([axis, w[:, None]], axis=1))


def turned_back(orientation: Any) -> Rows4:
    """The turns that take these back: (n, 4)."""
    return np.asarray(orientation * np.array([-1, -1, -1, 1], np.float32), np.float32)


def from_matrices(matrices: Any) -> Rows4:
    """Rotations as matrices (n, 3, 3), made unit quaternions (n, 4); by the largest of the four parts, so that none is divided by next to nothing
    (Shepperd 1978, from memory)."""
    m = np.asarray(matrices, np.float64)
    xx, yy, zz = m[:, 0, 0], m[:, 1, 1], m[:, 2, 2]
    squares = np.stack([1 + xx - yy - zz, 1 - xx + yy - zz, 1 - xx - yy + zz, 1 + xx + yy + zz], axis=1)
    products = np.empty((len(m), 4, 4))
    for part in range(4):
        products[:, part, part] = squares[:, part]
    for first, second, value in (
        (0, 1, m[:, 1, 0] + m[:, 0, 1]), (0, 2, m[:, 0, 2] + m[:, 2, 0]), (1, 2, m[:, 2, 1] + m[:, 1, 2]),
        (0, 3, m[:, 2, 1] - m[:, 1, 2]), (1, 3, m[:, 0, 2] - m[:, 2, 0]), (2, 3, m[:, 1, 0] - m[:, 0, 1]),
    ):  # fmt: skip
        products[:, first, second] = products[:, second, first] = value
    # Each row is the quaternion times one of its own parts, four times over: the row of the largest part.
    largest = squares.argmax(axis=1)
    return unit(products[np.arange(len(m)), largest])


def turned(orientation: Any, vectors: Any) -> NDArray[np.float32]:
    """Vectors (n, 3) turned by orientations (n, 4)."""
    q, v = np.asarray(orientation, np.float64), np.asarray(vectors, np.float64)
    axis = q[:, :3]
    twice = 2 * np.cross(axis, v)
    return (v + q[:, 3:] * twice + np.cross(axis, twice)).astype(np.float32)


def any_orientations(u: NDArray[np.float32]) -> Rows4:
    """Every orientation equally likely, from uniform numbers u (n, ≥ 3) (Shoemake 1992, "Uniform random rotations")."""
    first, second, third = u[:, 0].astype(np.float64), 2 * np.pi * u[:, 1], 2 * np.pi * u[:, 2]
    low, high = np.sqrt(1 - first), np.sqrt(first)
    return np.stack([low * np.sin(second), low * np.cos(second), high * np.sin(third), high * np.cos(third)], axis=1).astype(np.float32)


def from_angles(degrees: Any) -> Rows4:
    """Turns about x, then y, then z of the world (degrees): (n, 4) from (n, 3)."""
    half = np.radians(np.asarray(degrees, np.float64)) / 2
    (cx, cy, cz), (sx, sy, sz) = np.cos(half).T, np.sin(half).T
    x, y, z = sx * cy * cz - cx * sy * sz, cx * sy * cz + sx * cy * sz, cx * cy * sz - sx * sy * cz
    return np.stack([x, y, z, cx * cy * cz + sx * sy * sz], axis=1).astype(np.float32)


def angles_of(orientation: Any) -> NDArray[np.float32]:
    """The turns about x, then y, then z of the world (degrees) that make orientations (n, 4): (n, 3). Where y is square, z takes it all."""
    x, y, z, w = np.asarray(orientation, np.float64).T
    sine = np.clip(2 * (w * y - z * x), -1, 1)
    square = np.abs(sine) > 1 - 1e-6
    about_x = np.where(square, 0.0, np.arctan2(2 * (w * x + y * z), 1 - 2 * (x * x + y * y)))
    plain = np.arctan2(2 * (w * z + x * y), 1 - 2 * (y * y + z * z))
    about_z = np.where(square, -2 * np.sign(sine) * np.arctan2(x, w), plain)
    angles: NDArray[np.float32] = np.degrees(np.stack([about_x, np.arcsin(sine), about_z], axis=1)).astype(np.float32)
    return angles


def turned_by(orientation: Any) -> Any:
    """How far orientations (…, 4) are turned from upright, in degrees: (…)."""
    return np.degrees(2 * np.arccos(np.minimum(1.0, np.abs(orientation[..., 3]))))
