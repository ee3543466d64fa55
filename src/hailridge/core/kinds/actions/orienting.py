"""Orientation set outright: by an axis and an angle, along a direction, or as a shape is turned."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from hailridge.core.kinds.actions.turn import TURNING
from hailridge.core.kinds.actions.weighted import Weighted
from hailridge.core.kinds.births.directions import unit_vector
from hailridge.core.kinds.births.facings import AXIS_VECTORS, OWN_AXES
from hailridge.core.scene.moment import Moment
from hailridge.core.state.orientation import about_axis, align, from_matrices, from_spin, product, rotation_vectors, turned_back
from hailridge.core.state.particles import Rows, as_factor, as_indices
from hailridge.model import fields
from hailridge.model.kind import Vector
from hailridge.model.parts import Amount

SPACE = "Axes and directions are then the shape's own: as it turns, so do they."

LEAST = 1e-9
"""What is shorter is no direction."""

EASE = "0: at once. Else half of what is left of the way in each such time, whatever the steps."


class Orienting(Weighted):
    """What sets orientations: at once or little by little, wholly or as much as a field says. Whoever is stuck stays turned as it stuck."""

    category: ClassVar[str] = "Turn"

    half_life: float = 0.0
    space: str | None = None

    def needs(self) -> tuple[str, ...]:
        return TURNING

    def concerned(self, moment: Moment, rows: NDArray[np.intp]) -> NDArray[np.intp]:
        """Those for whom there is something to turn to."""
        return rows

    def wanted(self, moment: Moment, rows: NDArray[np.intp]) -> Any:
        """How they are to be turned, in the space that is named: (k, 4)."""
        raise NotImplementedError

    def act(self, moment: Moment, rows: Rows) -> None:
        indices = as_indices(rows)
        if moment.particles.has("stuck"):
            indices = indices[moment.column("stuck")[indices] <= 0]
        indices = self.concerned(moment, indices)
        if not len(indices):
            return
        wanted = self.wanted(moment, indices)
        if self.space is not None:
            outer = from_matrices(moment.scene.pose(self.space).transform.rotation[None])
            wanted = product(np.repeat(outer, len(wanted), axis=0), wanted)
        part = np.asarray(self.share(moment, indices), np.float32)
        if self.half_life > 0:
            part = part * (1 - moment.left_of(indices, self.half_life))
        if self.half_life > 0 or self.where is not None:
            present = moment.read("orientation", indices)
            whole = rotation_vectors(product(wanted, turned_back(present)))
            wanted = product(from_spin(whole * as_factor(np.asarray(part, np.float32))), present)
        moment.column("orientation")[indices] = wanted


class BeTurned(Orienting):
    title: ClassVar[str] = "be turned about an axis"
    also: ClassVar[str] = "set orientation rotation angle upright like a shape rotate outright"
    rank: ClassVar[int] = 5
    sentence: ClassVar[str] = "be turned {angle} about {axis}[, as seen from {space}][, half of the way every {half_life}][, only in {where}]"
    help: ClassVar[str] = (
        "Sets the orientation outright, whatever it was: upright, turned by an angle about an axis. *As seen from* a shape it is turned as the shape "
        "is, and by the angle besides. The angle can vary: by number, by age, by a field. Whoever is stuck stays turned as it stuck."
    )

    kind: Literal["be_turned"] = "be_turned"
    angle: Amount = fields.amount(45.0, unit="deg", low=-1e6, high=1e6, soft=(-180, 180), label="Angle")
    axis: Vector = fields.vector([0.0, 1.0, 0.0], label="Axis")
    space: str | None = fields.reference("shape", label="As seen from", optional="the world", help=SPACE)
    half_life: float = fields.number(0.0, unit="s", low=0, high=1000, soft=(0, 2), label="Half-life", help=EASE, per_frame="halving")

    def wanted(self, moment: Moment, rows: NDArray[np.intp]) -> Any:
        angles = np.broadcast_to(np.radians(np.asarray(self.angle.give(moment, rows), np.float64)), (len(rows),))
        return about_axis(np.tile(unit_vector(self.axis), (len(rows), 1)), angles)


class PointAlong(Orienting):
    title: ClassVar[str] = "point along a direction"
    also: ClassVar[str] = "set orientation aim look at normal arrow align rotate outright"
    rank: ClassVar[int] = 6
    sentence: ClassVar[str] = (
        "point {own} along {direction}[, turned {angle} about it][, as seen from {space}][, half of the way every {half_life}][, only in {where}]"
    )
    help: ClassVar[str] = (
        "Sets the orientation outright: one of the particle's own axes points there, by the shortest turn from upright. The direction can be the "
        "same for all or one of each, such as a formula: way_to(\"Dome\"), normal_of(\"Dome\"), velocity. Who has none there stays as it is. "
        "Whoever is stuck stays turned as it stuck."
    )

    kind: Literal["point_along"] = "point_along"
    own: Literal["x", "y", "z"] = fields.choice("z", OWN_AXES, label="Its axis")
    direction: Amount = fields.amount([0.0, 1.0, 0.0], value="vector", low=-1e6, high=1e6, soft=(-1, 1), label="Direction")
    angle: Amount = fields.amount(0.0, unit="deg", low=-1e6, high=1e6, soft=(-180, 180), label="Turned about it")
    space: str | None = fields.reference("shape", label="As seen from", optional="the world", help=SPACE)
    half_life: float = fields.number(0.0, unit="s", low=0, high=1000, soft=(0, 2), label="Half-life", help=EASE, per_frame="halving")

    def _ways(self, moment: Moment, rows: NDArray[np.intp]) -> NDArray[np.float64]:
        return np.broadcast_to(np.asarray(self.direction.give(moment, rows), np.float64), (len(rows), 3))

    def concerned(self, moment: Moment, rows: NDArray[np.intp]) -> NDArray[np.intp]:
        there: NDArray[np.intp] = rows[np.linalg.norm(self._ways(moment, rows), axis=1) > LEAST]
        return there

    def wanted(self, moment: Moment, rows: NDArray[np.intp]) -> Any:
        ways = self._ways(moment, rows)
        ways = ways / np.linalg.norm(ways, axis=1, keepdims=True)
        own = np.tile(np.asarray(AXIS_VECTORS[self.own], np.float64), (len(rows), 1))
        angles = np.broadcast_to(np.radians(np.asarray(self.angle.give(moment, rows), np.float64)), (len(rows),))
        return product(about_axis(ways, angles), align(own, ways))
