"""What all fields share."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, Literal

import numpy as np
from pydantic import PrivateAttr

from hailridge.core.scene.curves import ReadyCurve
from hailridge.core.state.particles import Array
from hailridge.model import fields
from hailridge.model.curves import NumberCurve
from hailridge.model.kind import Identifier, Label
from hailridge.model.parts import FieldKind

COURSES = {"evenly": "evenly", "smoothly": "smoothly", "drawn": "as drawn"}


class ShareField(FieldKind):
    """A field that gives a share of 0 to 1 and can be turned inside out."""

    id: Identifier
    label: Label
    inverted: bool = fields.flag(False, label="Turned inside out", yes="turned inside out", no="as it is")

    def shares(self, scene: Any, points: Array, time: float) -> Array:
        """Values at places (n, 3) m before turning inside out: (n,). What is not a number counts as 0."""
        raise NotImplementedError

    def reach(self, scene: Any) -> Any:
        """Lowest and highest corner (3,) of where it can be above zero before turning inside out; None for everywhere."""
        return None

    def line(self, scene: Any) -> Any:
        """Places (k, 3) m on which its boundaries can be dragged, where there are such."""
        return None

    def levels(self, scene: Any, points: Array, time: float) -> Iterator[tuple[str, Array, float]]:
        """What to draw of it: a name, values at places (n, 3) and the value at which the boundary lies."""
        yield "half", self.strength(scene, points, time), 0.5

    def strength(self, scene: Any, points: Any, time: float) -> Any:
        shares = np.clip(np.nan_to_num(self.shares(scene, points, time), nan=0.0), 0, 1)
        return np.asarray(1 - shares if self.inverted else shares, np.float32)


class CourseField(ShareField):
    """A field that rises from 0 to 1 along some way: evenly, smoothly or as drawn."""

    course: Literal["evenly", "smoothly", "drawn"] = fields.choice("smoothly", COURSES, label="Course")
    curve: NumberCurve = fields.curve(
        [{"at": 0.0, "value": 0.0}, {"at": 1.0, "value": 1.0}], along="share", label="Drawn course",
        help="Used with *as drawn*: from the 0 end of the way (left) to the 1 end (right).",
    )  # fmt: skip
    _ready: ReadyCurve | None = PrivateAttr(default=None)

    def along(self, share: Array) -> Array:
        """Follow the course: (n,) 0–1 of the way to (n,)."""
        if self.course == "evenly":
            return share
        if self.course == "smoothly":
            return np.asarray(share * share * (3 - 2 * share))  # smoothstep, GLSL 4.60
        if self._ready is None:
            self._ready = ReadyCurve(self.curve)
        return np.asarray(self._ready.over(share))


def in_space_of(carrier: str | None, scene: Any, points: Array) -> Array:
    """World places (n, 3) in the space of a shape that carries a field along, or as they are."""
    if carrier is None:
        return np.asarray(points)
    return np.asarray(scene.pose(carrier).transform.inverse().points(points))
