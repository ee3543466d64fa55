"""A path through points: straight pieces or a smooth curve."""

from __future__ import annotations

from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from annotated_types import Len
from numpy.typing import NDArray

from hailridge.core.scene.placed import PlacedShape
from hailridge.core.space.geometry import Geometry
from hailridge.model import fields
from hailridge.model.kind import Vector

PIECES = 24
"""Straight pieces drawn between two points of a smooth path."""


class Path(PlacedShape):
    title: ClassVar[str] = "Path"
    also: ClassVar[str] = "line curve route"
    rank: ClassVar[int] = 2
    sentence: ClassVar[str] = "{smooth}, {closed}, through {points} at {position}" + PlacedShape.tail
    help: ClassVar[str] = (
        "A line through points, which can be dragged on the stage. Sources give birth along it, shapes and particles move along it or "
        "are drawn to it."
    )

    kind: Literal["path"] = "path"
    points: Annotated[list[Vector], Len(2, 200)] = fields.points([[-1.0, 0.5, 0.0], [0.0, 1.0, 0.0], [1.0, 0.5, 0.0]], label="Points")
    smooth: bool = fields.flag(True, label="Course", yes="smooth", no="straight")
    closed: bool = fields.flag(False, label="Ends", yes="closed", no="open")

    @property
    def endless(self) -> bool:
        return self.closed

    def local(self, assets: Any) -> Geometry:
        points = np.asarray(self.points, np.float64)
        line = smooth_line(points, self.closed) if self.smooth else np.concatenate([points, points[:1]]) if self.closed else points
        return Geometry(line.astype(np.float32), line=True)


def smooth_line(points: NDArray[np.float64], closed: bool, pieces: int = PIECES) -> NDArray[np.float64]:
    """A Catmull–Rom curve through points (k, 3): at each, its slope is half the way from the point before to the point after.

    Returns (m, 3). Open curves keep their end pieces straight at the ends (the neighbour that is missing is mirrored).
    """
    if closed:
        known = np.concatenate([points[-1:], points, points[:2]])
    else:
        known = np.concatenate([2 * points[:1] - points[1:2], points, 2 * points[-1:] - points[-2:-1]])
    p0, p1, p2, p3 = known[:-3], known[1:-2], known[2:-1], known[3:]
    t = (np.arange(pieces) / pieces)[None, :, None]
    slope1, slope2 = (p2 - p0)[:, None] / 2, (p3 - p1)[:, None] / 2
    start, end = p1[:, None], p2[:, None]
    curve = (
        (2 * t**3 - 3 * t**2 + 1) * start + (t**3 - 2 * t**2 + t) * slope1 + (-2 * t**3 + 3 * t**2) * end + (t**3 - t**2) * slope2
    )
    return np.concatenate([curve.reshape(-1, 3), known[-2:-1]])
