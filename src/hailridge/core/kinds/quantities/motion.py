"""Where particles are and how they move."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

import numpy as np

from hailridge.core.scene.moment import Moment
from hailridge.core.state.particles import Rows
from hailridge.model import fields
from hailridge.model.kind import ValueType
from hailridge.model.parts import Quantity

Axis = Literal["x", "y", "z"]
AXIS_WORDS = {"x": "x", "y": "y (up)", "z": "z"}


class Speed(Quantity):
    title: ClassVar[str] = "speed"
    also: ClassVar[str] = "fast slow velocity"
    sentence: ClassVar[str] = "speed"
    category: ClassVar[str] = "Motion"
    help: ClassVar[str] = "How fast the particle moves, whatever the direction."
    unit: ClassVar[str] = "m/s"
    soft: ClassVar[tuple[float, float]] = (0.0, 20.0)
    low: ClassVar[float | None] = 0.0

    kind: Literal["speed"] = "speed"

    def read(self, moment: Moment, rows: Rows) -> Any:
        return moment.read_attribute("speed", rows)


class Height(Quantity):
    title: ClassVar[str] = "height"
    also: ClassVar[str] = "up low ground y altitude"
    sentence: ClassVar[str] = "height"
    category: ClassVar[str] = "Motion"
    help: ClassVar[str] = "How far the particle's centre is above the ground plane y = 0."
    unit: ClassVar[str] = "m"
    soft: ClassVar[tuple[float, float]] = (-2.0, 10.0)

    kind: Literal["height"] = "height"

    def read(self, moment: Moment, rows: Rows) -> Any:
        return moment.column("position")[rows, 1]


class Place(Quantity):
    title: ClassVar[str] = "position along an axis"
    also: ClassVar[str] = "position x y z side"
    sentence: ClassVar[str] = "position along {axis}"
    category: ClassVar[str] = "Motion"
    help: ClassVar[str] = "One coordinate of the particle's centre."
    unit: ClassVar[str] = "m"
    soft: ClassVar[tuple[float, float]] = (-10.0, 10.0)

    kind: Literal["place"] = "place"
    axis: Axis = fields.choice("x", AXIS_WORDS, label="Axis")

    def read(self, moment: Moment, rows: Rows) -> Any:
        return moment.column("position")[rows, "xyz".index(self.axis)]


class VelocityAlong(Quantity):
    title: ClassVar[str] = "speed along an axis"
    also: ClassVar[str] = "falling rising moving direction"
    sentence: ClassVar[str] = "speed along {axis}"
    category: ClassVar[str] = "Motion"
    help: ClassVar[str] = "One component of the velocity: below zero means against the axis, so falling is below zero along y."
    unit: ClassVar[str] = "m/s"
    soft: ClassVar[tuple[float, float]] = (-20.0, 20.0)

    kind: Literal["velocity_along"] = "velocity_along"
    axis: Axis = fields.choice("y", AXIS_WORDS, label="Axis")

    def read(self, moment: Moment, rows: Rows) -> Any:
        return moment.column("velocity")[rows, "xyz".index(self.axis)]


class Distance(Quantity):
    title: ClassVar[str] = "distance to a shape"
    also: ClassVar[str] = "near far close"
    sentence: ClassVar[str] = "distance to {shape}"
    word: ClassVar[str] = "distance_to"
    category: ClassVar[str] = "Motion"
    help: ClassVar[str] = "How far the particle's centre is from the nearest place of the shape's surface."
    unit: ClassVar[str] = "m"
    soft: ClassVar[tuple[float, float]] = (0.0, 10.0)
    low: ClassVar[float | None] = 0.0

    kind: Literal["distance"] = "distance"
    shape: str = fields.reference("shape", label="Shape")

    def read(self, moment: Moment, rows: Rows) -> Any:
        return moment.distance_to(self.shape, rows).astype(np.float32)


class InsideShape(Quantity):
    title: ClassVar[str] = "is inside a shape"
    also: ClassVar[str] = "within region contains"
    sentence: ClassVar[str] = "it is inside {shape}"
    category: ClassVar[str] = "Motion"
    help: ClassVar[str] = "True while the particle's centre is inside the shape. With *remove*, or with *not* and *remove*, the shape is a boundary."
    value_type: ClassVar[ValueType] = "flag"

    kind: Literal["inside"] = "inside"
    shape: str = fields.reference("shape", label="Shape")

    def read(self, moment: Moment, rows: Rows) -> Any:
        return moment.inside(self.shape, rows)
