"""A sheet bent along a drawn profile."""

from __future__ import annotations

from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from annotated_types import Len

from hailridge.core.kinds.shapes.path import smooth_line
from hailridge.core.scene.placed import PlacedShape
from hailridge.core.space.geometry import Geometry
from hailridge.model import fields
from hailridge.model.kind import Vector

PIECES = 12
"""Flat strips between two points of a smooth profile."""


DRAWN = [[-1.5, 0.6, 0.0], [-0.4, 0.3, 0.0], [0.6, 0.0, 0.0], [1.5, 0.4, 0.0]]


class Sheet(PlacedShape):
    title: ClassVar[str] = "Sheet"
    also: ClassVar[str] = "bent roof slope gutter chute ramp profile curved surface leaf terrain"
    rank: ClassVar[int] = 10
    sentence: ClassVar[str] = "{depth} deep, {smooth}, bent through {points} at {position}" + PlacedShape.tail
    help: ClassVar[str] = (
        "A sheet as wide as its profile, which is drawn by points to be dragged on the stage: left to right and up, what they are forward does not "
        "count. It faces up where the profile runs from left to right. Roughened, noise gives it bumps for drops to run between."
    )

    kind: Literal["sheet"] = "sheet"
    points: Annotated[list[Vector], Len(2, 200)] = fields.points(DRAWN, label="Points")
    smooth: bool = fields.flag(True, label="Course", yes="smooth", no="straight")
    depth: float = fields.number(2.0, unit="m", low=1e-4, high=1e5, soft=(0.2, 10), label="Depth")

    def local(self, assets: Any) -> Geometry:
        points = np.asarray(self.points, np.float64) * [1.0, 1.0, 0.0]
        profile = smooth_line(points, False, PIECES) if self.smooth else points
        half = np.array([0.0, 0.0, self.depth / 2])
        count = len(profile)
        vertices = np.concatenate([profile - half, profile + half]).astype(np.float32)
        at = np.arange(count - 1)
        faces = np.concatenate([np.stack([at, at + count, at + count + 1], axis=1), np.stack([at, at + count + 1, at + 1], axis=1)])
        return Geometry(vertices, faces.astype(np.int32))
