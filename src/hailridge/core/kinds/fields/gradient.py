"""Fields that rise along a line."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

import numpy as np

from hailridge.core.kinds.fields.base import CourseField, in_space_of
from hailridge.core.state.particles import Array
from hailridge.model import fields


class Gradient(CourseField):
    title: ClassVar[str] = "gradient"
    also: ClassVar[str] = "ramp direction height"
    rank: ClassVar[int] = 2
    sentence: ClassVar[str] = "0 at {start}, rising {course} to 1 at {end}[, carried by {carrier}][, {inverted}]"
    help: ClassVar[str] = (
        "Rises from 0 to 1 from one place to another, and stays 0 behind the first and 1 beyond the second. Keyframe the two places to let "
        "it sweep, or let a shape carry it."
    )

    kind: Literal["gradient"] = "gradient"
    start: list[float] = fields.vector([0.0, 0.0, 0.0], unit="m", label="0 at")
    end: list[float] = fields.vector([0.0, 2.0, 0.0], unit="m", label="1 at")
    carrier: str | None = fields.reference("shape", label="Carried by", optional="nothing")

    def shares(self, scene: Any, points: Array, time: float) -> Array:
        start, end = np.asarray(self.start, np.float64), np.asarray(self.end, np.float64)
        way = end - start
        length = float(way @ way)
        reached = (in_space_of(self.carrier, scene, points) - start) @ way
        return self.along(np.clip(reached / length, 0, 1) if length > 0 else (reached >= 0).astype(float))
