"""Shapes with an inside: box, ball, ring, tube, cone."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

import numpy as np

from hailridge.core.kinds.shapes.revolved import revolved
from hailridge.core.scene.placed import PlacedShape
from hailridge.core.space.geometry import Geometry
from hailridge.model import fields
from hailridge.model.kind import Vector


class Box(PlacedShape):
    title: ClassVar[str] = "Box"
    also: ClassVar[str] = "cube"
    rank: ClassVar[int] = 5
    sentence: ClassVar[str] = "{size} at {position}" + PlacedShape.tail
    help: ClassVar[str] = "A box; its size is given along x, y (up) and z. Sources can use its surface or its inside."

    kind: Literal["box"] = "box"
    size: Vector = fields.spanning(fields.vector([1.0, 1.0, 1.0], unit="m", label="Size"), "xyz")

    def local(self, assets: Any) -> Geometry:
        half = np.asarray(self.size, np.float32) / 2
        signs = np.array([[x, y, z] for x in (-1, 1) for y in (-1, 1) for z in (-1, 1)], np.float32)
        corners = (signs * half).astype(np.float32)
        quads = [(0, 1, 3, 2), (4, 6, 7, 5), (0, 4, 5, 1), (2, 3, 7, 6), (0, 2, 6, 4), (1, 5, 7, 3)]
        faces = [face for a, b, c, d in quads for face in ((a, b, c), (a, c, d))]
        return Geometry(corners, np.array(faces, np.int32))


class Ball(PlacedShape):
    title: ClassVar[str] = "Ball"
    also: ClassVar[str] = "sphere"
    rank: ClassVar[int] = 6
    sentence: ClassVar[str] = "radius {radius} at {position}" + PlacedShape.tail
    help: ClassVar[str] = "A ball, exact for births and contact however coarsely it is drawn; a roughened one is as rough as it is drawn."

    kind: Literal["ball"] = "ball"
    radius: float = fields.spanning(fields.number(0.5, unit="m", low=1e-4, high=1e5, soft=(0.05, 10), label="Radius"), "xyz", 2)

    def local(self, assets: Any) -> Geometry:
        angles = np.linspace(-np.pi / 2, np.pi / 2, 21)
        outline = [(float(max(0.0, np.cos(a)) * self.radius) if abs(a) < 1.57 else 0.0, float(np.sin(a) * self.radius)) for a in angles]
        drawn = revolved(outline, segments=40)
        return Geometry(drawn.vertices, drawn.faces, (np.zeros(3, np.float32), self.radius))


class Ring(PlacedShape):
    title: ClassVar[str] = "Ring"
    also: ClassVar[str] = "torus circle"
    rank: ClassVar[int] = 7
    sentence: ClassVar[str] = "radius {radius}, {thickness} thick, at {position}" + PlacedShape.tail
    help: ClassVar[str] = "A round ring lying flat (a torus): its radius is measured to the middle of its body."

    kind: Literal["ring"] = "ring"
    radius: float = fields.spanning(fields.number(1.0, unit="m", low=1e-4, high=1e5, soft=(0.05, 10), label="Radius"), "xz", 2)
    thickness: float = fields.number(0.2, unit="m", low=1e-4, high=1e5, soft=(0.01, 2), label="Thickness")

    def local(self, assets: Any) -> Geometry:
        angles = np.linspace(0, 2 * np.pi, 20, endpoint=False)
        body = self.thickness / 2
        return revolved([(max(0.0, self.radius + body * float(np.cos(a))), body * float(np.sin(a))) for a in angles], segments=64, closed=True)


class Tube(PlacedShape):
    title: ClassVar[str] = "Tube"
    also: ClassVar[str] = "cylinder pipe"
    rank: ClassVar[int] = 8
    sentence: ClassVar[str] = "radius {radius}, {height} high, {capped}, at {position}" + PlacedShape.tail
    help: ClassVar[str] = "An upright tube: closed at its ends like a drum, or open like a pipe."

    kind: Literal["tube"] = "tube"
    radius: float = fields.spanning(fields.number(0.5, unit="m", low=1e-4, high=1e5, soft=(0.05, 10), label="Radius"), "xz", 2)
    height: float = fields.spanning(fields.number(1.0, unit="m", low=1e-4, high=1e5, soft=(0.05, 10), label="Height"), "y")
    capped: bool = fields.flag(True, label="Ends", yes="closed", no="open")

    def local(self, assets: Any) -> Geometry:
        half = self.height / 2
        wall = [(self.radius, -half), (self.radius, half)]
        return revolved([(0.0, -half), *wall, (0.0, half)] if self.capped else wall)


class Cone(PlacedShape):
    title: ClassVar[str] = "Cone"
    also: ClassVar[str] = "funnel"
    rank: ClassVar[int] = 9
    sentence: ClassVar[str] = "radius {radius} to {top_radius}, {height} high, {capped}, at {position}" + PlacedShape.tail
    help: ClassVar[str] = "An upright cone standing on its centre's level; with a top radius above zero it is cut off, like a cup or a funnel."

    kind: Literal["cone"] = "cone"
    radius: float = fields.spanning(fields.number(0.5, unit="m", low=0, high=1e5, soft=(0.05, 10), label="Radius below"), "xz", 2)
    top_radius: float = fields.number(0.0, unit="m", low=0, high=1e5, soft=(0, 10), label="Radius above")
    height: float = fields.spanning(fields.number(1.0, unit="m", low=1e-4, high=1e5, soft=(0.05, 10), label="Height"), "y")
    capped: bool = fields.flag(True, label="Ends", yes="closed", no="open")

    def local(self, assets: Any) -> Geometry:
        wall = [(max(self.radius, 1e-6), 0.0), (max(self.top_radius, 1e-6), self.height)]
        return revolved([(0.0, 0.0), *wall, (0.0, self.height)] if self.capped else wall)
