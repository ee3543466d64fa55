"""What a particle has touched."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

import numpy as np

from hailridge.core.kinds.quantities.surfaces import AXIS_WORDS, Axis
from hailridge.core.scene.moment import Moment
from hailridge.core.scene.sliding import COLUMNS as SLIDING
from hailridge.core.scene.sticking import COLUMNS
from hailridge.core.scene.touched import PULL, normals_of, pull_of
from hailridge.core.state.particles import Rows, number_of, touching_bit
from hailridge.model import fields
from hailridge.model.kind import ValueType
from hailridge.model.parts import Quantity


class Touching(Quantity):
    title: ClassVar[str] = "is touching"
    also: ClassVar[str] = "hit collide contact"
    sentence: ClassVar[str] = "it touches {shape}"
    category: ClassVar[str] = "Contact"
    help: ClassVar[str] = "True while the particle touches the shape, resting included. Some rule has to make it solid, or notice it, first."
    value_type: ClassVar[ValueType] = "flag"

    kind: Literal["touching"] = "touching"
    shape: str | None = fields.reference("shape", label="Shape", optional="anything")

    def read(self, moment: Moment, rows: Rows) -> Any:
        touching = moment.column("touching")[rows]
        return touching != 0 if self.shape is None else (touching & touching_bit(moment.scene.shape_index[self.shape])) != 0


def _kept(moment: Moment, name: str, rows: Rows, otherwise: int) -> Any:
    """A column that is only there where something asks for it (k,); where only a look asks, nothing has happened."""
    return moment.column(name)[rows] if moment.particles.has(name) else np.full(number_of(rows), otherwise, np.int32)


class Held(Quantity):
    """What sticking and sliding share."""

    category: ClassVar[str] = "Contact"
    value_type: ClassVar[ValueType] = "flag"
    column: ClassVar[str]

    shape: str | None = fields.reference("shape", label="Shape", optional="anything")

    def read(self, moment: Moment, rows: Rows) -> Any:
        held = _kept(moment, self.column, rows, 0)
        return held > 0 if self.shape is None else held == moment.scene.shape_index[self.shape] + 1


class Stuck(Held):
    title: ClassVar[str] = "is stuck"
    also: ClassVar[str] = "sticking attached glued held"
    sentence: ClassVar[str] = "it is stuck to {shape}"
    help: ClassVar[str] = "True from the touch at which it stuck to the shape until it is let go."
    column: ClassVar[str] = "stuck"

    kind: Literal["stuck"] = "stuck"

    def needs(self) -> tuple[str, ...]:
        return COLUMNS


class Sliding(Held):
    title: ClassVar[str] = "is sliding"
    also: ClassVar[str] = "held running along drop surface"
    sentence: ClassVar[str] = "it slides along {shape}"
    help: ClassVar[str] = "True while it is held to the shape by *slide along*, whether it moves there or not."
    column: ClassVar[str] = "sliding"

    kind: Literal["sliding"] = "sliding"

    def needs(self) -> tuple[str, ...]:
        return SLIDING


class TouchedLast(Quantity):
    title: ClassVar[str] = "touched last"
    also: ClassVar[str] = "which shape contact hit what"
    sentence: ClassVar[str] = "what it touched last is {shape}"
    category: ClassVar[str] = "Contact"
    help: ClassVar[str] = "True from a touch of the shape that was told until one of another shape is."
    value_type: ClassVar[ValueType] = "flag"

    kind: Literal["touched_last"] = "touched_last"
    shape: str = fields.reference("shape", label="Shape")

    def needs(self) -> tuple[str, ...]:
        return ("contact_shape",)

    def read(self, moment: Moment, rows: Rows) -> Any:
        return _kept(moment, "contact_shape", rows, -1) == moment.scene.shape_index[self.shape]


class MetLast(Quantity):
    title: ClassVar[str] = "met last"
    also: ClassVar[str] = "which particle whom group collided hit bounced other"
    sentence: ClassVar[str] = "what it touched last is a particle of {who}"
    category: ClassVar[str] = "Contact"
    help: ClassVar[str] = "True from a meeting with a particle of these groups that was told, as it was then, until another touch is told."
    value_type: ClassVar[ValueType] = "flag"

    kind: Literal["met_last"] = "met_last"
    who: list[str] = fields.reference("group", label="Of", many="anyone", help="Groups include the groups within them.")

    def needs(self) -> tuple[str, ...]:
        return ("met", "met_group")

    def read(self, moment: Moment, rows: Rows) -> Any:
        met = _kept(moment, "met_group", rows, -1)
        return (met >= 0) & moment.scene.members(self.who)[np.maximum(met, 0)]


class Steepness(Quantity):
    title: ClassVar[str] = "steepness where it touches"
    also: ClassVar[str] = "slope angle overhang incline surface normal let go drip"
    sentence: ClassVar[str] = "steepness of what it touches"
    category: ClassVar[str] = "Contact"
    help: ClassVar[str] = (
        "How steep the surface is that it touches, seen from its side: 0° level ground, 90° a wall, 180° a ceiling. 0° touching nothing."
    )
    unit: ClassVar[str] = "deg"
    soft: ClassVar[tuple[float, float]] = (0.0, 180.0)
    low: ClassVar[float | None] = 0.0
    high: ClassVar[float | None] = 180.0
    start: ClassVar[float | None] = 90.0

    kind: Literal["steepness"] = "steepness"

    def read(self, moment: Moment, rows: Rows) -> Any:
        normals = normals_of(moment, rows)
        up = np.where(np.any(normals != 0, axis=1), normals[:, 1], np.float32(1))
        return np.degrees(np.arccos(np.clip(up, -1, 1))).astype(np.float32)


class TouchNormal(Quantity):
    title: ClassVar[str] = "normal where it touches"
    also: ClassVar[str] = "contact direction surface facing"
    sentence: ClassVar[str] = "normal of what it touches along {axis}"
    category: ClassVar[str] = "Contact"
    help: ClassVar[str] = "One part, −1 to 1, of the direction off the surface that it touches; 0 touching nothing."
    soft: ClassVar[tuple[float, float]] = (-1.0, 1.0)
    low: ClassVar[float | None] = -1.0
    high: ClassVar[float | None] = 1.0

    kind: Literal["touch_normal"] = "touch_normal"
    axis: Axis = fields.choice("y", AXIS_WORDS, label="Along")

    def read(self, moment: Moment, rows: Rows) -> Any:
        return normals_of(moment, rows)[:, "xyz".index(self.axis)]


class PlaceOnShape(Quantity):
    title: ClassVar[str] = "place on a shape"
    also: ClassVar[str] = "local position where on it coordinate own space"
    sentence: ClassVar[str] = "place on {shape} along its {axis}"
    category: ClassVar[str] = "Contact"
    help: ClassVar[str] = "One coordinate of where it is in the shape's own space, which moves, turns and grows with the shape."
    unit: ClassVar[str] = "m"
    soft: ClassVar[tuple[float, float]] = (-5.0, 5.0)

    kind: Literal["place_on_shape"] = "place_on_shape"
    shape: str = fields.reference("shape", label="Shape")
    axis: Axis = fields.choice("y", AXIS_WORDS, label="Along")

    def read(self, moment: Moment, rows: Rows) -> Any:
        places = moment.scene.pose(self.shape).transform.inverse().points(moment.read("position", rows))
        return places[:, "xyz".index(self.axis)].astype(np.float32)


class Pull(Quantity):
    """What both pulls share."""

    category: ClassVar[str] = "Contact"
    unit: ClassVar[str] = "N"
    soft: ClassVar[tuple[float, float]] = (0.0, 20.0)

    def needs(self) -> tuple[str, ...]:
        return PULL


class PullAlong(Pull):
    title: ClassVar[str] = "pull along the surface"
    also: ClassVar[str] = "force shear tangential contact gravity let go"
    sentence: ClassVar[str] = "pull along what it touches"
    help: ClassVar[str] = (
        "The force with which what pushes it, gravity and wind, pulls it along the surface that it touches; 0 touching nothing. Kept where a rule or "
        "a look reads it."
    )
    low: ClassVar[float | None] = 0.0

    kind: Literal["pull_along"] = "pull_along"

    def read(self, moment: Moment, rows: Rows) -> Any:
        return pull_of(moment, rows)[0]


class PullAway(Pull):
    title: ClassVar[str] = "pull off the surface"
    also: ClassVar[str] = "force lift away contact detach let go tear"
    sentence: ClassVar[str] = "pull off what it touches"
    help: ClassVar[str] = (
        "The force with which what pushes it pulls it off the surface that it touches; below 0 presses it on. 0 touching nothing. Kept where a rule "
        "or a look reads it."
    )

    kind: Literal["pull_away"] = "pull_away"

    def read(self, moment: Moment, rows: Rows) -> Any:
        return pull_of(moment, rows)[1]


class ContactCount(Quantity):
    title: ClassVar[str] = "number of contacts"
    also: ClassVar[str] = "hits bounces how often"
    sentence: ClassVar[str] = "number of contacts"
    category: ClassVar[str] = "Contact"
    help: ClassVar[str] = "How many times it has come to touch something. Resting on a surface counts once."
    soft: ClassVar[tuple[float, float]] = (0.0, 10.0)
    low: ClassVar[float | None] = 0.0

    kind: Literal["contact_count"] = "contact_count"

    def read(self, moment: Moment, rows: Rows) -> Any:
        return moment.column("contact_count")[rows].astype(np.float32)


class ImpactSpeed(Quantity):
    title: ClassVar[str] = "impact speed"
    also: ClassVar[str] = "hit hard crash force"
    sentence: ClassVar[str] = "impact speed"
    category: ClassVar[str] = "Contact"
    help: ClassVar[str] = "How fast it came straight onto the surface at its latest contact; a grazing touch is slow however fast it flies."
    unit: ClassVar[str] = "m/s"
    soft: ClassVar[tuple[float, float]] = (0.0, 20.0)
    low: ClassVar[float | None] = 0.0

    kind: Literal["impact_speed"] = "impact_speed"

    def read(self, moment: Moment, rows: Rows) -> Any:
        return moment.column("impact_speed")[rows]


class SinceContact(Quantity):
    title: ClassVar[str] = "time since contact"
    also: ClassVar[str] = "after touching hit timer"
    sentence: ClassVar[str] = "time since contact"
    category: ClassVar[str] = "Contact"
    help: ClassVar[str] = "Time since it last came to touch something; very long for what never has."
    unit: ClassVar[str] = "s"
    runs: ClassVar[bool] = True
    soft: ClassVar[tuple[float, float]] = (0.0, 10.0)
    low: ClassVar[float | None] = 0.0

    kind: Literal["since_contact"] = "since_contact"

    def read(self, moment: Moment, rows: Rows) -> Any:
        return np.float32(moment.time) - moment.column("contact_time")[rows]
