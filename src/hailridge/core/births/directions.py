"""Which way newborns leave."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

import numpy as np

from hailridge.core.moment import Moment
from hailridge.core.randomness import any_directions, directions_in_cone, uniforms
from hailridge.model import fields
from hailridge.model.kind import Vector
from hailridge.model.parts import Direction


class AlongNormal(Direction):
    title: ClassVar[str] = "off the surface"
    sentence: ClassVar[str] = "off the surface[, within {cone}]"
    help: ClassVar[str] = "Straight away from the surface, or within a cone around that."

    kind: Literal["normal"] = "normal"
    cone: float = fields.number(0.0, unit="deg", low=0, high=180, soft=(0, 180), label="Within a cone of")

    def aim(self, moment: Moment, normals: Any, keys: Any) -> Any:
        return scattered(normals, self.cone, uniforms(keys, self.item, 0, moment.scene.seed))


class AlongAxis(Direction):
    title: ClassVar[str] = "in a direction"
    sentence: ClassVar[str] = "toward {axis}[, within {cone}]"
    help: ClassVar[str] = "The same way for all, or within a cone around it. Only the direction of the three numbers counts, not their size."

    kind: Literal["axis"] = "axis"
    axis: Vector = fields.vector([0.0, -1.0, 0.0], label="Direction")
    cone: float = fields.number(0.0, unit="deg", low=0, high=180, soft=(0, 180), label="Within a cone of")

    def aim(self, moment: Moment, normals: Any, keys: Any) -> Any:
        axis = np.asarray(self.axis, np.float64)
        size = np.linalg.norm(axis)
        unit = (axis / size if size > 0 else np.array([0.0, 1.0, 0.0])).astype(np.float32)
        return scattered(np.tile(unit, (len(keys), 1)), self.cone, uniforms(keys, self.item, 0, moment.scene.seed))


class AnyWay(Direction):
    title: ClassVar[str] = "any way"
    sentence: ClassVar[str] = "any way"
    help: ClassVar[str] = "Every direction equally likely."

    kind: Literal["any"] = "any"

    def aim(self, moment: Moment, normals: Any, keys: Any) -> Any:
        return any_directions(uniforms(keys, self.item, 0, moment.scene.seed))


def scattered(axes: Any, degrees: float, u: Any) -> Any:
    """Directions within a cone whose full opening angle is `degrees`."""
    return directions_in_cone(axes, np.radians(degrees / 2), u) if degrees > 0 else axes
