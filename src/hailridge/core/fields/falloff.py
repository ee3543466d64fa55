from __future__ import annotations

from typing import Any, ClassVar, Literal

import numpy as np

from hailridge.model import fields
from hailridge.model.kind import Identifier, Label
from hailridge.model.parts import FieldKind


class Falloff(FieldKind):
    title: ClassVar[str] = "Falloff of a shape"
    sentence: ClassVar[str] = "1 within {inner} of {shape}, falling {course} to 0 at {outer}[, {inverted}]"
    help: ClassVar[str] = (
        "A number at every place: 1 inside the inner boundary, 0 outside the outer one, falling off between them. Both are distances from the "
        "shape's surface; below zero means inside it. Above 0.5 is halfway in, above 0 anywhere inside."
    )

    kind: Literal["falloff"] = "falloff"
    id: Identifier
    label: Label
    shape: str = fields.reference("shape", label="Shape")
    inner: float = fields.number(0.0, unit="m", low=-1e4, high=1e4, soft=(-1, 2), label="Inner boundary")
    outer: float = fields.number(0.5, unit="m", low=-1e4, high=1e4, soft=(0, 5), label="Outer boundary")
    course: Literal["evenly", "smoothly"] = fields.choice("smoothly", {"evenly": "evenly", "smoothly": "smoothly"}, label="Course")
    inverted: bool = fields.flag(False, label="Turned inside out", yes="turned inside out", no="as it is")

    def strength(self, scene: Any, points: Any, time: float) -> Any:
        # Beyond both boundaries it does not matter how far.
        distance = scene.pose(self.shape).outward(points, max(abs(self.inner), abs(self.outer)) + 1e-6)
        width = self.outer - self.inner
        share = np.clip((self.outer - distance) / width, 0, 1) if width > 0 else (distance <= self.inner).astype(float)
        if self.course == "smoothly":
            share = share * share * (3 - 2 * share)  # smoothstep, GLSL 4.60
        return np.asarray(1 - share if self.inverted else share, np.float32)
