"""How newborns are turned."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

import numpy as np

from hailridge.core.kinds.births.directions import seed_field, unit_vector, unit_vectors
from hailridge.core.scene.moment import Moment
from hailridge.core.scene.span import Birth
from hailridge.core.state.orientation import about_axis, align, any_orientations, product, upright
from hailridge.core.state.randomness import uniforms
from hailridge.model import fields
from hailridge.model.effect import ItemSeed
from hailridge.model.kind import Vector
from hailridge.model.parts import Amount, Facing

OWN_AXES = {"x": "its x axis", "y": "its y axis", "z": "its z axis"}
AXIS_VECTORS = {"x": [1.0, 0.0, 0.0], "y": [0.0, 1.0, 0.0], "z": [0.0, 0.0, 1.0]}


class Upright(Facing):
    title: ClassVar[str] = "upright"
    rank: ClassVar[int] = 0
    sentence: ClassVar[str] = "upright"
    help: ClassVar[str] = "Not turned: each particle's own axes are those of the world."
    turned: ClassVar[bool] = False

    kind: Literal["upright"] = "upright"

    def turn(self, moment: Moment, birth: Birth) -> Any:
        return upright(len(birth.keys))


class TurnedBy(Facing):
    title: ClassVar[str] = "turned about an axis"
    sentence: ClassVar[str] = "turned {angle} about {axis}"
    help: ClassVar[str] = "An axis and an angle, which can vary from particle to particle."

    kind: Literal["turned"] = "turned"
    axis: Vector = fields.vector([0.0, 1.0, 0.0], label="Axis")
    angle: Amount = fields.amount(45.0, unit="deg", low=-1e5, high=1e5, soft=(-180, 180), label="Angle")

    def turn(self, moment: Moment, birth: Birth) -> Any:
        angles = np.broadcast_to(np.radians(self.angle.give(moment, birth.rows)), (len(birth.keys),))
        return about_axis(np.tile(unit_vector(self.axis), (len(angles), 1)), angles)


class OntoNormal(Facing):
    title: ClassVar[str] = "standing on the surface"
    sentence: ClassVar[str] = "with {own} off the surface[, turned {angle} about it]"
    help: ClassVar[str] = "One of the particle's own axes points straight off the surface; a turn about that axis can be added."

    kind: Literal["normal"] = "normal"
    own: Literal["x", "y", "z"] = fields.choice("y", OWN_AXES, label="Its axis")
    angle: Amount = fields.amount(0.0, unit="deg", low=-1e5, high=1e5, soft=(-180, 180), label="Turned about it")

    def turn(self, moment: Moment, birth: Birth) -> Any:
        return _onto(moment, birth, self.own, self.angle, birth.normals)


class OntoMotion(Facing):
    title: ClassVar[str] = "facing its motion"
    sentence: ClassVar[str] = "with {own} in its direction of motion[, turned {angle} about it]"
    help: ClassVar[str] = (
        "One of the particle's own axes points where it flies at birth, like a dart. To keep it so, use the action *face its motion*."
    )

    kind: Literal["motion"] = "motion"
    own: Literal["x", "y", "z"] = fields.choice("z", OWN_AXES, label="Its axis")
    angle: Amount = fields.amount(0.0, unit="deg", low=-1e5, high=1e5, soft=(-180, 180), label="Turned about it")

    def turn(self, moment: Moment, birth: Birth) -> Any:
        ways = unit_vectors(moment.column("velocity")[birth.rows], birth.normals)
        return _onto(moment, birth, self.own, self.angle, ways)


class AnyTurn(Facing):
    title: ClassVar[str] = "turned any way"
    sentence: ClassVar[str] = "turned any way"
    help: ClassVar[str] = "Every orientation equally likely."

    kind: Literal["any"] = "any"
    seed: ItemSeed = seed_field()

    def turn(self, moment: Moment, birth: Birth) -> Any:
        return any_orientations(uniforms(birth.keys, self.item, 0, moment.scene.seed))


def _onto(moment: Moment, birth: Birth, own: str, angle: Amount, ways: Any) -> Any:
    angles = np.broadcast_to(np.radians(angle.give(moment, birth.rows)), (len(birth.keys),))
    own_axes = np.tile(np.asarray(AXIS_VECTORS[own], np.float32), (len(ways), 1))
    return product(about_axis(ways, angles), align(own_axes, ways))
