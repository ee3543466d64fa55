"""The slots: what kinds of things an effect is built from, as abstract classes with the methods that each must compute.

Signatures are untyped on purpose where they meet the computation: the model knows nothing of particles. `core` narrows them.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, ClassVar, Literal

from pydantic_core import CoreSchema, core_schema

from hailridge.model.attributes import BUILT_IN, Table
from hailridge.model.curves import is_keyed
from hailridge.model.kind import Identifier, Kind, ValueType


class Quantity(Kind):
    """Anything that can be read per particle."""

    slot: ClassVar[str] = "quantity"
    unit: ClassVar[str] = ""
    value_type: ClassVar[ValueType] = "number"
    soft: ClassVar[tuple[float, float]] = (0.0, 1.0)
    low: ClassVar[float | None] = None
    high: ClassVar[float | None] = None
    """What it can never be below or above, where there is such a bound: shows conditions that can never hold."""
    start: ClassVar[float | None] = None
    """The threshold to begin with before anything is known of the particles; the middle of `soft` where nothing is said."""
    word: ClassVar[str] = ""
    """What formulas call it, where its tag means something else there."""
    runs: ClassVar[bool] = False
    """Whether it goes on by itself as time does, a second a second: its thresholds are met to the nearest step."""

    def read(self, moment: Any, rows: Any) -> Any:
        """Values for `rows`: (k,) float or bool, in the quantity's unit."""
        raise NotImplementedError


class Amount(Kind):
    """Any value that is given."""

    slot: ClassVar[str] = "amount"
    single: ClassVar[bool] = False
    """Whether it is one number, so that it cannot stand where three are needed."""

    def give(self, moment: Any, rows: Any) -> Any:
        """A number, a (3,) vector, or one of either per row: (k,) or (k, 3) float32."""
        raise NotImplementedError

    def extent(self, attributes: Table = BUILT_IN) -> tuple[float, float]:
        """Smallest and largest number that can come out, for checks against hard limits. `attributes`: those of the effect."""
        raise NotImplementedError

    def width(self, attributes: Table = BUILT_IN) -> int:
        """1 for numbers, 3 for vectors, colours and orientations."""
        raise NotImplementedError

    @classmethod
    def wrap_slot(cls, schema: CoreSchema) -> CoreSchema:
        return core_schema.no_info_before_validator_function(_spelled_out, schema)


def _spelled_out(given: Any) -> Any:
    """A bare number, or three, or keyframes in its place, stand for a fixed amount."""
    if (isinstance(given, int | float | list) and not isinstance(given, bool)) or is_keyed(given):
        return {"kind": "fixed", "value": given}
    return given


class Condition(Kind):
    """A test that a particle passes or fails."""

    slot: ClassVar[str] = "condition"
    facts_as: ClassVar[str] = ""
    """The kind of condition that takes its place where its quantity becomes a fact, which is held against nothing."""

    id: Identifier | None = None
    """What it is called by in the list that it stands in; none where it stands alone."""

    def holds(self, moment: Any, rows: Any) -> Any:
        """(k,) bool for `rows`."""
        raise NotImplementedError


Phase = Literal["push", "contact", "change"]
"""In which part of the step an action is asked: before motion, for motion to meet (what is solid), or after it."""

Place = Literal["birth", "step", "moment", "contact", "death", "otherwise"]
"""Where in an effect an action may stand: in a rule on birth or done by a source, at each step, on a moment, on contact, on death; and in an
*otherwise*."""

EVERYWHERE: tuple[Place, ...] = ("birth", "step", "moment", "contact", "death", "otherwise")
LASTING: tuple[Place, ...] = ("step", "otherwise")
"""Where actions stand that only work for as long as their rule holds: forces, gradual changes, being solid."""
PASSING: tuple[Place, ...] = ("birth", "moment", "contact", "death")
"""Where actions stand that are done once and over."""
LIVING: tuple[Place, ...] = ("birth", "step", "moment", "contact", "otherwise")
"""Where actions stand that mean nothing to a particle that is leaving."""


class Action(Kind):
    """What a rule does to the particles that it holds for. `phase` says in which part of the step, `places` where it may stand.

    Whatever offers, checks or runs actions reads these two declarations.
    """

    slot: ClassVar[str] = "action"
    phase: ClassVar[Phase] = "change"
    places: ClassVar[tuple[Place, ...]] = EVERYWHERE
    gives_birth: ClassVar[bool] = False
    without_history: ClassVar[bool] = False
    """Whether it puts particles where they belong at a time whatever was before, so that any frame can be made without those before it."""
    begins: ClassVar[dict[str, dict[str, Any]]] = {}
    """Field values that it begins with where it is added, instead of its defaults: by where it stands, by "always" in a rule
    at each step that has no condition, or by "" anywhere."""

    id: Identifier | None = None
    """What it is called by in the list that it stands in; none where it stands alone."""

    @property
    def stands(self) -> tuple[Place, ...]:
        """Where it may stand as it is now: at most at its `places`."""
        return self.places

    @property
    def along_the_way(self) -> bool:
        """Whether it asks where everybody was when the step began."""
        return False

    def act(self, moment: Any, rows: Any) -> None:
        """Apply to `rows` of the moment's particles."""
        raise NotImplementedError


class Urge(Kind):
    """One behaviour of those who steer: what acceleration it would like to give each of them."""

    slot: ClassVar[str] = "urge"

    id: Identifier | None = None
    """What it is called by in the list that it stands in; none where it stands alone."""

    def asks(self) -> Iterator[str]:
        """What it reads of the flock's neighbourhood (`core.scene.around`)."""
        return iter(())

    def wants(self, flock: Any) -> Any:
        """Accelerations (k, 3) m/s² for a `core.kinds.urges.base.Flock`, of any size."""
        raise NotImplementedError


class Handing(Kind):
    """One thing that a child gets of its parent, beyond what the table of attributes hands on anyhow."""

    slot: ClassVar[str] = "handing"

    id: Identifier | None = None
    """What it is called by in the list that it stands in; none where it stands alone."""

    def give(self, moment: Any, rows: Any, parents: Any) -> None:
        """Write what children (`rows`, a slice) get of their parents (k,)."""
        raise NotImplementedError


class Shape(Kind):
    """Something with a transform: source, obstacle or target by use, not by kind."""

    slot: ClassVar[str] = "shape"

    def local(self, assets: Any) -> Any:
        """The shape's geometry in its own space."""
        raise NotImplementedError


class FieldKind(Kind):
    """A number 0–1 at every place and time."""

    slot: ClassVar[str] = "field"

    def strength(self, scene: Any, points: Any, time: float) -> Any:
        """Values at places (n, 3): (n,) float32."""
        raise NotImplementedError


class Placement(Kind):
    """Where on a shape particles are born."""

    slot: ClassVar[str] = "placement"

    def place(self, moment: Any, geometry: Any, keys: Any, ordinals: Any) -> Any:
        """Places and outward normals in the shape's own space, (k, 3) float32 each, for newborns with these lineage keys and ordinals."""
        raise NotImplementedError

    def places(self, moment: Any, geometry: Any) -> int | None:
        """How many places there are, where they can be counted."""
        return None


class Emission(Kind):
    """When a source gives birth, and to how many."""

    slot: ClassVar[str] = "emission"

    def births(self, span: Any) -> Any:
        """Birth times of a step, ascending: (k,) float64 seconds. `span` is a `core.births.span.Span`."""
        raise NotImplementedError

    def before(self, span: Any, time: float) -> int:
        """How many were born up to `time`; numbers the newborns of a step."""
        raise NotImplementedError

    def begins(self) -> float:
        """Seconds at which the first birth may be; 0 is the beginning of the effect."""
        raise NotImplementedError


class Direction(Kind):
    """Which way newborns leave."""

    slot: ClassVar[str] = "direction"

    def aim(self, moment: Any, birth: Any) -> Any:
        """Unit vectors (k, 3) float32 for a `core.births.span.Birth`."""
        raise NotImplementedError


class Facing(Kind):
    """How newborns are turned."""

    slot: ClassVar[str] = "facing"
    turned: ClassVar[bool] = True
    """Whether it turns anything: else nobody's orientation has to be kept."""

    def turn(self, moment: Any, birth: Any) -> Any:
        """Orientations (k, 4) float32, unit quaternions x, y, z, w."""
        raise NotImplementedError


class ColorLayer(Kind):
    """One layer of colour over those below it."""

    slot: ClassVar[str] = "layer"

    id: Identifier | None = None
    """What it is called by in the list that it stands in; none where it stands alone."""

    def tint(self, moment: Any, rows: Any) -> Any:
        """Colours for `rows`, channel by channel: (3, k) or (3, 1) float32, sRGB-encoded 0–1."""
        raise NotImplementedError

    def strengths(self, moment: Any, rows: Any) -> Any:
        """How much of it shows: (k,) or one number, 0–1."""
        raise NotImplementedError


class Picking(Kind):
    """Which of several drawings or forms a particle gets."""

    slot: ClassVar[str] = "picking"

    def pick(self, moment: Any, rows: Any, number: int) -> Any:
        """Which of `number`, from 0 on: (k,) int64."""
        raise NotImplementedError


class TrailLength(Kind):
    """How far back a trail reaches."""

    slot: ClassVar[str] = "trail_length"

    def reach(self, moment: Any, rows: Any) -> tuple[Any, Any]:
        """How many points and how many seconds, each a number or one per row (k,); None for the one that does not bound it."""
        raise NotImplementedError

    def most_points(self, frames_per_second: float) -> float:
        """A point a frame, how many the longest can have; infinite where nobody knows."""
        raise NotImplementedError


class Look(Kind):
    """How a group is drawn."""

    slot: ClassVar[str] = "look"
    shader: ClassVar[str] = "ball"

    @property
    def through_steps(self) -> bool:
        """Whether it shows where particles were at the steps within frames, which have to be recorded for that."""
        return False

    def draw(self, moment: Any, rows: Any) -> Any:
        """What there is to draw of `rows`: a `core.drawing.Layer`."""
        raise NotImplementedError
