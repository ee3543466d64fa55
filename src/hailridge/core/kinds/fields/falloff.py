"""Fields that fall off around a shape."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, ClassVar, Literal

import numpy as np

from hailridge.core.kinds.fields.base import CourseField
from hailridge.core.state.particles import Array
from hailridge.model import fields

AIM = np.array([0.5, 0.62, 0.6])
"""Up and to the side: where handles are seldom hidden."""


class Falloff(CourseField):
    title: ClassVar[str] = "falloff of a shape"
    also: ClassVar[str] = "sphere region distance soft"
    rank: ClassVar[int] = 0
    sentence: ClassVar[str] = "1 within {inner} of {shape}, falling {course} to 0 at {outer}[, {inverted}]"
    help: ClassVar[str] = (
        "A number at every place: 1 inside the inner boundary, 0 outside the outer one, falling off between them. Both are distances from the "
        "shape's surface; below zero means inside it. Above 0.5 is halfway in, above 0 anywhere inside. Select it to drag both boundaries on the "
        "stage. It goes wherever the shape goes."
    )

    kind: Literal["falloff"] = "falloff"
    shape: str = fields.reference("shape", label="Shape")
    inner: float = fields.number(0.0, unit="m", low=-1e4, high=1e4, soft=(-1, 2), label="Inner boundary")
    outer: float = fields.number(0.5, unit="m", low=-1e4, high=1e4, soft=(0, 5), label="Outer boundary")

    def reach(self, scene: Any) -> Any:
        low, high = scene.pose(self.shape).world.bounds
        further = max(self.outer, self.inner, 0.0)
        return low - further, high + further

    def line(self, scene: Any) -> tuple[Array, Array]:
        """A place on the shape's surface and the direction straight out of it, on which both boundaries can be dragged: (3,) each."""
        low, high = scene.pose(self.shape).world.bounds
        far = (low + high) / 2 + AIM * (np.max(high - low) + 1.0) * 20
        place = scene.pose(self.shape).closest(far[None].astype(np.float32))[0][0]
        return place, (far - place) / np.linalg.norm(far - place)

    def levels(self, scene: Any, points: Array, time: float) -> Iterator[tuple[str, Array, float]]:
        depth = -scene.pose(self.shape).outward(points)
        yield "inner", depth, -self.inner
        if self.outer > self.inner:
            yield "outer", depth, -self.outer

    def shares(self, scene: Any, points: Array, time: float) -> Array:
        # Beyond both boundaries it does not matter how far.
        distance = scene.pose(self.shape).outward(points, max(abs(self.inner), abs(self.outer)) + 1e-6)
        width = self.outer - self.inner
        share = np.clip((self.outer - distance) / width, 0, 1) if width > 0 else (distance <= self.inner).astype(float)
        return self.along(share)
