"""Shapes without an inside: point, disc, plane."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

import numpy as np

from hailridge.core.kinds.shapes.revolved import revolved
from hailridge.core.scene.placed import PlacedShape
from hailridge.core.space.geometry import Geometry
from hailridge.model import fields


class Point(PlacedShape):
    title: ClassVar[str] = "Point"
    also: ClassVar[str] = "place dot"
    rank: ClassVar[int] = 1
    sentence: ClassVar[str] = "at {position}" + PlacedShape.tail
    help: ClassVar[str] = "A single place. Sources on it give birth in that place; distance to it can be read; as a parent it carries other shapes."

    kind: Literal["point"] = "point"

    def local(self, assets: Any) -> Geometry:
        return Geometry(np.zeros((1, 3), np.float32))


class Disc(PlacedShape):
    title: ClassVar[str] = "Disc"
    also: ClassVar[str] = "circle"
    rank: ClassVar[int] = 3
    sentence: ClassVar[str] = "radius {radius}[ with a hole of {hole}] at {position}" + PlacedShape.tail
    help: ClassVar[str] = "A flat round plate facing up, with a round hole if its inner radius is above zero."

    kind: Literal["disc"] = "disc"
    radius: float = fields.spanning(fields.number(1.0, unit="m", low=1e-4, high=1e5, soft=(0.05, 10), label="Radius"), "xz", 2)
    hole: float = fields.number(0.0, unit="m", low=0, high=1e5, soft=(0, 10), label="Radius of the hole")

    def local(self, assets: Any) -> Geometry:
        return revolved([(self.radius, 0.0), (min(self.hole, self.radius * 0.999), 0.0)], segments=64)


class Plane(PlacedShape):
    title: ClassVar[str] = "Plane"
    also: ClassVar[str] = "floor ground wall sheet"
    rank: ClassVar[int] = 4
    sentence: ClassVar[str] = "{width} by {depth} at {position}" + PlacedShape.tail
    help: ClassVar[str] = "A flat rectangle facing up. As an obstacle it reaches exactly as far as it is drawn, and stops from both sides."

    kind: Literal["plane"] = "plane"
    width: float = fields.spanning(fields.number(10.0, unit="m", low=1e-4, high=1e5, soft=(0.5, 40), label="Width"), "x")
    depth: float = fields.spanning(fields.number(10.0, unit="m", low=1e-4, high=1e5, soft=(0.5, 40), label="Depth"), "z")

    def local(self, assets: Any) -> Geometry:
        x, z = self.width / 2, self.depth / 2
        corners = np.array([[-x, 0, -z], [-x, 0, z], [x, 0, z], [x, 0, -z]], np.float32)
        return Geometry(corners, np.array([[0, 1, 2], [0, 2, 3]], np.int32))
