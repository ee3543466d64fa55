"""Which way newborns leave, and which axis they spin about."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, ClassVar, Literal

import numpy as np

from hailridge.core.scene.moment import Moment
from hailridge.core.scene.span import Birth
from hailridge.core.state.randomness import any_directions, directions_in_cone, uniforms
from hailridge.model import fields
from hailridge.model.effect import ItemSeed
from hailridge.model.kind import Vector
from hailridge.model.parts import Direction

CONE: dict[str, Any] = {"unit": "deg", "low": 0, "high": 360, "soft": (0, 180), "label": "Within a cone of"}


def seed_field() -> Any:
    return fields.number(0, low=0, high=2**31 - 1, whole=True, label="Seed")


class InCone(Direction):
    """What directions share that scatter within a cone around an axis."""

    if TYPE_CHECKING:
        cone: float

    def axes(self, moment: Moment, birth: Birth) -> Any:
        """The middle of each newborn's cone: unit vectors (k, 3) float32."""
        raise NotImplementedError

    def aim(self, moment: Moment, birth: Birth) -> Any:
        return scattered(self.axes(moment, birth), self.cone, uniforms(birth.keys, self.item, 0, moment.scene.seed))


class AlongNormal(InCone):
    title: ClassVar[str] = "off the surface"
    also: ClassVar[str] = "outward off"
    sentence: ClassVar[str] = "off the surface[, within {cone}]"
    help: ClassVar[str] = "Straight away from the surface, or within a cone around that. Off a path: square to it, any way round."

    kind: Literal["normal"] = "normal"
    cone: float = fields.number(0.0, **CONE)
    seed: ItemSeed = seed_field()

    def axes(self, moment: Moment, birth: Birth) -> Any:
        return birth.normals


class AlongAxis(InCone):
    title: ClassVar[str] = "in a direction"
    also: ClassVar[str] = "up down toward fixed"
    sentence: ClassVar[str] = "toward {axis}[, within {cone}]"
    help: ClassVar[str] = "The same way for all, or within a cone around it. Only the direction of the three numbers counts, not their size."

    kind: Literal["axis"] = "axis"
    axis: Vector = fields.vector([0.0, -1.0, 0.0], label="Direction")
    cone: float = fields.number(0.0, **CONE)
    seed: ItemSeed = seed_field()

    def axes(self, moment: Moment, birth: Birth) -> Any:
        return np.tile(unit_vector(self.axis), (len(birth.keys), 1))


class AtTarget(InCone):
    title: ClassVar[str] = "at a target"
    also: ClassVar[str] = "aim toward"
    sentence: ClassVar[str] = "at {shape}[, within {cone}]"
    help: ClassVar[str] = "Toward the nearest place of another shape, wherever it is at that moment: move the target and everything aims anew."

    kind: Literal["target"] = "target"
    shape: str = fields.reference("shape", label="Target")
    cone: float = fields.number(0.0, **CONE)
    seed: ItemSeed = seed_field()

    def axes(self, moment: Moment, birth: Birth) -> Any:
        nearest, distances = moment.scene.pose(self.shape).closest(birth.places)
        away = (nearest - birth.places) / np.maximum(distances, 1e-12)[:, None]
        return np.where(distances[:, None] > 1e-9, away, birth.normals).astype(np.float32)


class FromCentre(InCone):
    title: ClassVar[str] = "from the shape's centre"
    also: ClassVar[str] = "explode radial"
    sentence: ClassVar[str] = "away from the centre[, within {cone}]"
    help: ClassVar[str] = "Away from where the shape stands: a burst from one place, whatever the surface."

    kind: Literal["centre"] = "centre"
    cone: float = fields.number(0.0, **CONE)
    seed: ItemSeed = seed_field()

    def axes(self, moment: Moment, birth: Birth) -> Any:
        return unit_vectors(birth.places - moment.scene.frame(birth.shape).translation.astype(np.float32), birth.normals)


class AnyWay(Direction):
    title: ClassVar[str] = "any way"
    also: ClassVar[str] = "random"
    sentence: ClassVar[str] = "any way"
    help: ClassVar[str] = "Every direction equally likely."

    kind: Literal["any"] = "any"
    seed: ItemSeed = seed_field()

    def aim(self, moment: Moment, birth: Birth) -> Any:
        return any_directions(uniforms(birth.keys, self.item, 0, moment.scene.seed))


def unit_vector(given: Any) -> Any:
    """A direction of length one; upward where none is given."""
    axis = np.asarray(given, np.float64)
    size = np.linalg.norm(axis)
    return (axis / size if size > 0 else np.array([0.0, 1.0, 0.0])).astype(np.float32)


def unit_vectors(given: Any, otherwise: Any) -> Any:
    """Directions (k, 3) of length one; `otherwise` where there is none."""
    size = np.linalg.norm(given, axis=1, keepdims=True)
    return np.where(size > 1e-9, given / np.maximum(size, 1e-9), otherwise).astype(np.float32)


def scattered(axes: Any, degrees: float, u: Any) -> Any:
    """Directions within a cone whose full opening angle is `degrees`."""
    return directions_in_cone(axes, np.radians(min(degrees, 360.0) / 2), u) if degrees > 0 else axes
