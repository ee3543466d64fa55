"""A shape's triangles in world space, with what sources and contact need of them."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from hailridge.core.kernels import tree

Points = NDArray[np.float32]


@dataclass(frozen=True)
class Tree:
    """A flat bounding volume hierarchy; triangles are in its order, (f, 13) float64: corners, unit normal, twice the area."""

    triangles: NDArray[np.float64]
    bounds: NDArray[np.float64]
    links: NDArray[np.int32]


class Geometry:
    """Triangles of one shape: vertices (v, 3) float32 metres, faces (f, 3) int32. A ball is known exactly by centre and radius."""

    def __init__(self, vertices: Points, faces: NDArray[np.int32], ball: tuple[Points, float] | None = None) -> None:
        self.vertices = np.ascontiguousarray(vertices, np.float32).reshape(-1, 3)
        self.faces = np.ascontiguousarray(faces, np.int32).reshape(-1, 3)
        self.ball = ball

    @cached_property
    def corners(self) -> NDArray[np.float64]:
        """(f, 3, 3) float64: the three corners of each triangle."""
        return self.vertices[self.faces].astype(np.float64)

    @cached_property
    def _crosses(self) -> NDArray[np.float64]:
        c = self.corners
        return np.cross(c[:, 1] - c[:, 0], c[:, 2] - c[:, 0])

    @cached_property
    def areas(self) -> NDArray[np.float64]:
        """Triangle areas in m²: (f,)."""
        return np.asarray(np.linalg.norm(self._crosses, axis=1) * 0.5)

    @cached_property
    def normals(self) -> Points:
        """Unit face normals: (f, 3); zero for triangles without area."""
        size = np.maximum(2.0 * self.areas[:, None], 1e-30)
        return (self._crosses / size).astype(np.float32)

    @cached_property
    def tree(self) -> Tree:
        corners = self.corners
        order, bounds, links = tree.build(corners.min(axis=1), corners.max(axis=1))
        size = 2.0 * self.areas
        normals = self._crosses / np.maximum(size, 1e-30)[:, None]
        triangles = np.concatenate([corners.reshape(-1, 9), normals, size[:, None]], axis=1)
        return Tree(np.ascontiguousarray(triangles[order]), bounds, links)

    def on_surface(self, u: NDArray[np.float32]) -> tuple[Points, Points]:
        """Points spread evenly by area and their normals, from uniform numbers u (n, ≥ 3)."""
        if self.ball is not None:
            centre, radius = self.ball
            z = 2.0 * u[:, 0] - 1.0
            angle = 2.0 * np.pi * u[:, 1]
            ring = np.sqrt(np.maximum(0.0, 1.0 - z * z))
            out = np.stack([ring * np.cos(angle), z, ring * np.sin(angle)], axis=1).astype(np.float32)
            return (centre + radius * out).astype(np.float32), out
        if len(self.faces) == 0:
            return np.repeat(self.vertices[:1], len(u), axis=0), np.tile(np.array([[0, 1, 0]], np.float32), (len(u), 1))
        heights = np.cumsum(self.areas)
        chosen = np.searchsorted(heights, u[:, 0].astype(np.float64) * heights[-1], side="right").clip(0, len(self.faces) - 1)
        # The square root makes the triangle's inside even (Osada et al. 2002, "Shape distributions").
        root = np.sqrt(u[:, 1])[:, None]
        share = u[:, 2][:, None]
        a, b, c = (self.corners[chosen, k] for k in range(3))
        points = (1 - root) * a + root * (1 - share) * b + root * share * c
        return points.astype(np.float32), self.normals[chosen]

    def closest(self, points: Points) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Closest places of the surface and distances in metres: (n, 3) and (n,) float64."""
        if self.ball is not None:
            centre, radius = self.ball
            away = points.astype(np.float64) - centre
            far = np.linalg.norm(away, axis=1)
            out = centre + away / np.maximum(far, 1e-12)[:, None] * radius
            return out, np.abs(far - radius)
        if len(self.faces) == 0:
            away = points.astype(np.float64) - self.vertices[0]
            return np.repeat(self.vertices[:1].astype(np.float64), len(points), axis=0), np.asarray(np.linalg.norm(away, axis=1))
        out, distances = np.empty((len(points), 3)), np.empty(len(points))
        t = self.tree
        tree.closest(len(points), np.ascontiguousarray(points, np.float64), t.triangles, t.bounds, t.links, out, distances)
        return out, distances


def rotation_matrix(degrees: list[float]) -> NDArray[np.float64]:
    """Rotation about x, then y, then z, in degrees: (3, 3)."""
    x, y, z = np.radians(degrees)
    about_x = np.array([[1, 0, 0], [0, np.cos(x), -np.sin(x)], [0, np.sin(x), np.cos(x)]])
    about_y = np.array([[np.cos(y), 0, np.sin(y)], [0, 1, 0], [-np.sin(y), 0, np.cos(y)]])
    about_z = np.array([[np.cos(z), -np.sin(z), 0], [np.sin(z), np.cos(z), 0], [0, 0, 1]])
    return np.asarray(about_z @ about_y @ about_x)
