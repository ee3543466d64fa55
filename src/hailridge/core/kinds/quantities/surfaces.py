"""What particles sense of the surfaces around them: where the nearest place of a shape is, which way that is, and how it faces there."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

from hailridge.core.scene.moment import Moment
from hailridge.core.scene.sensing import sensed
from hailridge.core.state.particles import Rows
from hailridge.model import fields
from hailridge.model.parts import Quantity

Axis = Literal["x", "y", "z"]
AXIS_WORDS = {"x": "x", "y": "y (up)", "z": "z"}


class OfSurface(Quantity):
    """What quantities of a surface share."""

    category: ClassVar[str] = "Surfaces"

    shape: str = fields.reference("shape", label="Shape")
    axis: Axis = fields.choice("y", AXIS_WORDS, label="Along")

    @property
    def at(self) -> int:
        return "xyz".index(self.axis)


class NearestPlace(OfSurface):
    title: ClassVar[str] = "nearest place of a shape"
    also: ClassVar[str] = "surface position closest point sense"
    sentence: ClassVar[str] = "nearest place of {shape} along {axis}"
    help: ClassVar[str] = "One coordinate of the place of a shape's surface that is nearest to the particle."
    unit: ClassVar[str] = "m"
    soft: ClassVar[tuple[float, float]] = (-10.0, 10.0)

    kind: Literal["nearest_place"] = "nearest_place"

    def read(self, moment: Moment, rows: Rows) -> Any:
        return sensed(moment, self.shape, rows)[:, self.at]


class WayToSurface(OfSurface):
    title: ClassVar[str] = "direction to a shape"
    also: ClassVar[str] = "surface toward way sense"
    sentence: ClassVar[str] = "direction to {shape} along {axis}"
    help: ClassVar[str] = "One part of the direction, −1 to 1, from the particle to the nearest place of a shape's surface; 0 where it is on it."
    soft: ClassVar[tuple[float, float]] = (-1.0, 1.0)
    low: ClassVar[float | None] = -1.0
    high: ClassVar[float | None] = 1.0

    kind: Literal["way_to_surface"] = "way_to_surface"

    def read(self, moment: Moment, rows: Rows) -> Any:
        return sensed(moment, self.shape, rows)[:, 3 + self.at]


class SurfaceNormal(OfSurface):
    title: ClassVar[str] = "how a surface faces"
    also: ClassVar[str] = "normal steep sense up"
    sentence: ClassVar[str] = "how {shape} faces along {axis}"
    help: ClassVar[str] = (
        "One part of the normal, −1 to 1, of a shape's surface where it is nearest to the particle: along y 1 on level ground, 0 at a wall, −1 on "
        "a ceiling."
    )
    soft: ClassVar[tuple[float, float]] = (-1.0, 1.0)
    low: ClassVar[float | None] = -1.0
    high: ClassVar[float | None] = 1.0

    kind: Literal["surface_normal"] = "surface_normal"

    def read(self, moment: Moment, rows: Rows) -> Any:
        return sensed(moment, self.shape, rows)[:, 6 + self.at]
