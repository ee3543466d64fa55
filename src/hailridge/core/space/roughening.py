"""Moving a shape's surface in and out by noise."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from hailridge.core.kernels import noise
from hailridge.core.space.geometry import Geometry
from hailridge.core.space.joining import edges, joined

MOST_TRIANGLES = 40_000
"""Triangles to which a surface is refined at most, so that bumps have something to bend."""


class Roughener:
    """A shape refined once; every time gives its own bumps."""

    def __init__(self, base: Geometry, bump: float) -> None:
        self.fine = base if base.line or not len(base.faces) else refined(base, bump / 4)

    def at(self, shape: Any, time: float, salt: int) -> Geometry:
        """The roughened geometry at a time. Surfaces move along their normals, lines and places any way."""
        places = self.fine.vertices / np.float32(shape.roughness_size)
        drift = np.float32(shape.roughness_change * time)
        if self.fine.line or not len(self.fine.faces):
            # A third of a turn in the lattice apart, so that the three directions differ.
            away = np.stack([_heights(places + np.float32(k * 31.7), drift, salt + k) for k in range(3)], axis=1)
        else:
            away = self.fine.vertex_normals * _heights(places, drift, salt)[:, None]
        made = Geometry(self.fine.vertices + away * np.float32(shape.roughness), self.fine.faces, None, self.fine.line)
        made.like = self.fine if len(self.fine.faces) else None
        return made


def _heights(places: NDArray[np.float32], drift: np.float32, salt: int) -> NDArray[np.float32]:
    """Two octaves of noise that evolves: (v,), about −1 to 1."""
    total = np.zeros(len(places), np.float32)
    out = np.empty((len(places), 4), np.float32)
    for octave, strength in ((1.0, 1.2), (2.0, 0.5)):
        moved = np.ascontiguousarray(places * np.float32(octave) + np.array([0.31, 0.77, 0.13], np.float32) + drift * np.float32(octave))
        noise.noise(len(places), moved, np.uint32((salt + int(octave)) & 0xFFFFFF), out)
        total += out[:, 0] * np.float32(strength)
    return total


def refined(base: Geometry, longest: float) -> Geometry:
    """Split triangles in four until no edge is longer than `longest`, or there are many; vertices in one place become one."""
    first, place = joined(base.vertices, 6)
    vertices, faces = base.vertices[first].astype(np.float64), place[base.faces]
    while len(faces) * 4 <= MOST_TRIANGLES:
        corners = vertices[faces]
        if np.linalg.norm(corners - np.roll(corners, -1, axis=1), axis=2).max() <= longest:
            break
        vertices, faces = split(vertices, faces)
    return Geometry(vertices.astype(np.float32), faces.astype(np.int32))


def split(vertices: NDArray[np.float64], faces: NDArray[Any]) -> tuple[NDArray[np.float64], NDArray[Any]]:
    """Each triangle into four by the middles of its edges; neighbours share them."""
    ends, which, _shares = edges(faces, len(vertices))
    middles = which.reshape(3, -1) + len(vertices)
    a, b, c = faces.T
    ab, bc, ca = middles
    parts = [np.stack(corner, axis=1) for corner in ((a, ab, ca), (ab, b, bc), (ca, bc, c), (ab, bc, ca))]
    return np.concatenate([vertices, vertices[ends].mean(axis=1)]), np.concatenate(parts)
