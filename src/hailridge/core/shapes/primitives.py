"""Point, plane, box and ball."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

import numpy as np

from hailridge.core.geometry import Geometry
from hailridge.core.shapes.base import PlacedShape
from hailridge.model import fields
from hailridge.model.kind import Vector


class Point(PlacedShape):
    title: ClassVar[str] = "Point"
    sentence: ClassVar[str] = "at {position}"
    help: ClassVar[str] = "A single place. Sources on it give birth in that place; distance to it can be read."

    kind: Literal["point"] = "point"

    def local(self, assets: Any) -> Geometry:
        return Geometry(np.zeros((1, 3), np.float32), np.empty((0, 3), np.int32))


class Plane(PlacedShape):
    title: ClassVar[str] = "Plane"
    sentence: ClassVar[str] = "{width} by {depth} at {position}[, turned {rotation}]"
    help: ClassVar[str] = "A flat rectangle facing up. As an obstacle it reaches exactly as far as it is drawn, and stops from both sides."

    kind: Literal["plane"] = "plane"
    width: float = fields.number(10.0, unit="m", low=1e-4, high=1e5, soft=(0.5, 40), label="Width")
    depth: float = fields.number(10.0, unit="m", low=1e-4, high=1e5, soft=(0.5, 40), label="Depth")

    def local(self, assets: Any) -> Geometry:
        x, z = self.width / 2, self.depth / 2
        corners = np.array([[-x, 0, -z], [-x, 0, z], [x, 0, z], [x, 0, -z]], np.float32)
        return Geometry(corners, np.array([[0, 1, 2], [0, 2, 3]], np.int32))


class Box(PlacedShape):
    title: ClassVar[str] = "Box"
    sentence: ClassVar[str] = "{size} at {position}[, turned {rotation}]"
    help: ClassVar[str] = "A box; its size is given along x, y (up) and z. Sources can use its surface or its inside."

    kind: Literal["box"] = "box"
    size: Vector = fields.vector([1.0, 1.0, 1.0], unit="m", label="Size")

    def local(self, assets: Any) -> Geometry:
        half = np.asarray(self.size, np.float32) / 2
        signs = np.array([[x, y, z] for x in (-1, 1) for y in (-1, 1) for z in (-1, 1)], np.float32)
        corners = (signs * half).astype(np.float32)
        quads = [(0, 1, 3, 2), (4, 6, 7, 5), (0, 4, 5, 1), (2, 3, 7, 6), (0, 2, 6, 4), (1, 5, 7, 3)]
        faces = [face for a, b, c, d in quads for face in ((a, b, c), (a, c, d))]
        return Geometry(corners, np.array(faces, np.int32))


class Ball(PlacedShape):
    title: ClassVar[str] = "Ball"
    sentence: ClassVar[str] = "radius {radius} at {position}"
    help: ClassVar[str] = "A ball, exact for births and contact however coarsely it is drawn."

    kind: Literal["ball"] = "ball"
    radius: float = fields.number(0.5, unit="m", low=1e-4, high=1e5, soft=(0.05, 10), label="Radius")

    def local(self, assets: Any) -> Geometry:
        rings, segments = 16, 32
        polar = np.linspace(0, np.pi, rings + 1)[:, None]
        around = np.linspace(0, 2 * np.pi, segments, endpoint=False)[None, :]
        grid = np.stack([np.sin(polar) * np.cos(around), np.cos(polar) + 0 * around, np.sin(polar) * np.sin(around)], axis=-1)
        index = np.arange((rings + 1) * segments).reshape(rings + 1, segments)
        a, b = index[:-1], index[1:]
        c, d = np.roll(b, -1, axis=1), np.roll(a, -1, axis=1)
        # The first and last ring are single points: half of their quads are flat and left out.
        upper, lower = np.stack([a, c, b], axis=-1)[1:], np.stack([a, d, c], axis=-1)[:-1]
        faces = np.concatenate([upper.reshape(-1, 3), lower.reshape(-1, 3)])
        return Geometry((grid.reshape(-1, 3) * self.radius).astype(np.float32), faces.astype(np.int32))

    def geometry(self, assets: Any) -> Geometry:
        mesh = super().geometry(assets)
        return Geometry(mesh.vertices, mesh.faces, (np.asarray(self.position, np.float32), self.radius * self.scale))
