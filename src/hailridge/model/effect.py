"""The effect: one document with clock, shapes, groups, attributes, sources, rules and looks."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Annotated, Any, ClassVar, Literal

from pydantic import Field, PrivateAttr

from hailridge.model import fields
from hailridge.model.attributes import WIDE, AttributeInfo, own_info
from hailridge.model.dials import Dial
from hailridge.model.fields import collection
from hailridge.model.kind import Identifier, Label, Part, Vector
from hailridge.model.neighbourhoods import Neighbourhood
from hailridge.model.parts import Action, Amount, Condition, Direction, Emission, Facing, FieldKind, Look, Place, Placement, Shape
from hailridge.model.units import OWN_UNITS, OwnUnit

FORMAT = 7
"""Version of the document format; `model.migrations` lifts older ones."""

ItemSeed = Annotated[int, Field(ge=0, le=2**31 - 1)]

# Okabe and Ito's palette for colour-blind readers; groups take the next one free.
GROUP_COLORS = ["#56b4e9", "#e69f00", "#009e73", "#f0e442", "#cc79a7", "#d55e00", "#0072b2", "#bfc7c9"]


class Clock(Part):
    title: ClassVar[str] = "Clock"
    sentence: ClassVar[str] = (
        "{duration} at {frames_per_second} frames a second, {stepping} {steps_per_frame} each[, moving at most {longest_way}], seed {seed}"
        "[, begun {pre_roll} before][, time from {time_from}][, every {store_every} stored]"
    )
    help: ClassVar[str] = (
        "The clock sets how long the effect runs and how finely time is cut. More steps a frame make fast particles follow "
        "curves instead of polygons; they cost time in proportion; *up to* takes only as many as the fastest particle needs. With a "
        "*pre-roll* the effect begins already running. *Time from a curve*: keyframes say which moment of the effect each moment of the clock "
        "shows, to slow it down or hold it. The seed reshuffles every random choice at once."
    )

    frames_per_second: float = fields.number(24.0, low=1, high=240, soft=(12, 60), step=1, label="Frames a second", still=True)
    duration: float = fields.number(5.0, unit="s", low=0.04, high=600, soft=(1, 20), label="Duration", still=True)
    stepping: Literal["exactly", "up_to"] = fields.choice("exactly", {"exactly": "exactly", "up_to": "up to"}, label="Steps")
    steps_per_frame: int = fields.number(1, low=1, high=64, soft=(1, 8), step=1, whole=True, label="Steps a frame", unit="steps")
    longest_way: float = fields.number(
        0.0, unit="m", low=0, high=1000, soft=(0.01, 1), label="Longest way in a step", still=True,
        help="With *up to*: a step is cut so that no particle moves further than this; 0 takes a tenth of a metre.",
    )  # fmt: skip
    pre_roll: float = fields.number(0.0, unit="s", low=0, high=600, soft=(0, 10), label="Pre-roll", still=True)
    time_from: Literal["clock", "curve"] = fields.choice(
        "clock", {"clock": "the clock", "curve": "a curve"}, label="Time from", opens={"curve": "effect_time"}
    )  # fmt: skip
    effect_time: float = fields.number(
        0.0, unit="s", low=0, high=600, soft=(0, 20), label="Time of the effect", straight=True,
        help="Used with *time from a curve*: give it keyframes. Straight between them, the effect runs evenly, faster or slower.",
    )  # fmt: skip
    store_every: int = fields.number(
        1, low=1, high=100, soft=(1, 10), step=1, whole=True, label="Store every n-th frame", unit="frame",
        help="For heavy effects: everything is computed, but only every n-th frame is kept to be looked at.",
    )  # fmt: skip
    seed: int = fields.number(1, low=0, high=2**31 - 1, soft=(1, 100), step=1, whole=True, label="Seed")
    particle_budget: int = fields.number(
        200_000, low=1, high=5_000_000, soft=(10_000, 1_000_000), step=1000, whole=True, label="Particle budget", unit="count",
        help="On reaching it births stop, the run goes on and an advisory names what was multiplying.",
    )  # fmt: skip

    @property
    def last_frame(self) -> int:
        return max(1, round(self.duration * self.frames_per_second))


class Group(Part):
    title: ClassVar[str] = "Group"
    sentence: ClassVar[str] = "[within {parent}]"
    help: ClassVar[str] = (
        "A group is the state a particle is in. Each particle is in exactly one; rules move it on. Groups nest: a rule for the "
        "outer group also catches the groups within it. The colour is how the state is read off charts and pictures."
    )

    id: Identifier
    label: Label
    color: Annotated[str, Field(pattern=r"^#[0-9a-f]{6}$")] = "#56b4e9"
    parent: str | None = fields.reference("group", label="Within", optional="no other group")


class Attribute(Part):
    title: ClassVar[str] = "Attribute"
    sentence: ClassVar[str] = "{type}[ in {unit}], first {initial}[, {limited} from {low} to {high}][, {share} handed to children]"
    help: ClassVar[str] = (
        "A value of your own that every particle carries from step to step, to be set and read by rules, shown in the probe and exported. *Handed "
        "on* is what a child gets of its parent's value, the rest being its first value; of a yes or no it is the chance."
    )

    id: Identifier
    label: Label
    type: Literal["number", "whole", "flag", "vector", "color", "orientation"] = fields.choice(
        "number",
        {"number": "a number", "whole": "a whole number", "flag": "yes or no", "vector": "a vector", "color": "a colour",
         "orientation": "an orientation"},
        label="Type", renews=True,
    )  # fmt: skip
    unit: OwnUnit = fields.choice("", OWN_UNITS, label="Unit")
    initial: Amount = fields.amount(0.0, label="First value", value_from="type")
    limited: bool = fields.flag(False, label="Limits", yes="kept within limits", no="without limits")
    low: float = fields.number(0.0, low=-1e9, high=1e9, soft=(-10, 10), label="From", still=True)
    high: float = fields.number(1.0, low=-1e9, high=1e9, soft=(-10, 10), label="To", still=True)
    share: float = fields.number(0.0, unit="percent", low=0, high=100, soft=(0, 100), still=True, label="Handed to children")

    @property
    def info(self) -> AttributeInfo:
        """Its row of the table of attributes."""
        return own_info(vars(self))

    def faults(self, effect: Any) -> Iterator[tuple[str, str]]:
        if self.limited and self.low > self.high:
            yield "low", f"begins at {self.low:g}, but ends at {self.high:g}"

    @classmethod
    def renewed(cls, raw: dict[str, Any]) -> dict[str, Any]:
        """A first value in the form that the type takes."""
        wide = raw.get("type") in WIDE
        start: Any = {"color": [1.0, 1.0, 1.0]}.get(str(raw.get("type")), [0.0, 0.0, 0.0] if wide else 0.0)
        return raw | {"initial": {"kind": "fixed", "value": start}}


class Source(Part):
    title: ClassVar[str] = "Source"
    sentence: ClassVar[str] = (
        "{emission}, as {group}, {placement} of {shape}[, lifted {offset}] → {direction} at {speed}[, with {inherit} of the shape's own velocity], "
        "radius {radius}, living {lifetime}, {color}[, opacity {opacity}][, mass {mass}][, {orientation}][, spinning {spin} about {spin_axis}]"
    )
    help: ClassVar[str] = (
        "A source brings particles into being on a shape. Every first value can vary from particle to particle: open its chip and "
        "choose how, *± spread* for one. Births at a rate are spread inside each step, so that a stream does not clump. What has no place of its own "
        "here, such as an attribute of yours, is set by an action *then* done on birth."
    )

    id: Identifier
    label: Label
    enabled: bool = True
    group: str = fields.reference("group", label="Group", help="The group that newborns belong to.")
    shape: str = fields.reference("shape", label="Shape")
    placement: Placement = fields.slot("placement", {"kind": "surface"}, label="Placed")
    emission: Emission = fields.slot("emission", {"kind": "rate"}, label="Timing")
    direction: Direction = fields.slot("direction", {"kind": "normal"}, label="Direction")
    offset: float = fields.number(0.0, unit="m", low=-100, high=100, soft=(0, 0.5), label="Lift off the surface")
    speed: Amount = fields.amount(2.0, unit="m/s", low=-10_000, high=10_000, soft=(0, 20), label="Speed")
    inherit: float = fields.number(
        0.0, unit="percent", low=-1000, high=1000, soft=(0, 100), label="Handed on of the shape's own velocity",
        help="When the shape moves or turns, this part of its velocity at the place of birth is added.",
    )  # fmt: skip
    radius: Amount = fields.amount(0.05, unit="m", low=0, high=1000, soft=(0.005, 0.5), label="Radius")
    lifetime: Amount = fields.amount(4.0, unit="s", low=0, high=1e9, soft=(0.1, 20), label="Lifetime")
    color: Amount = fields.amount([0.85, 0.92, 0.95], value="color", low=0, high=1, label="Colour")
    opacity: Amount = fields.amount(1.0, low=0, high=1, soft=(0, 1), label="Opacity")
    mass: Amount = fields.amount(1.0, unit="kg", low=1e-9, high=1e9, soft=(0.01, 10), label="Mass")
    orientation: Facing = fields.slot("facing", {"kind": "upright"}, label="Orientation")
    spin: Amount = fields.amount(0.0, unit="deg/s", low=-1e5, high=1e5, soft=(-720, 720), label="Spin")
    spin_axis: Direction = fields.slot("direction", {"kind": "any"}, label="Spin axis")
    actions: list[Action] = fields.slot("action", many=True, label="Then, on birth")
    seed: ItemSeed = 0

    def needs(self) -> tuple[str, ...]:
        spins = self.spin.extent() != (0.0, 0.0)
        return ("orientation", "spin") if self.orientation.turned or spins else ()


TRIGGER_PLACES: dict[str, Place] = {
    "each": "step", "once": "moment", "becomes": "moment", "stops": "moment", "birth": "birth", "contact": "contact", "death": "death",
}  # fmt: skip
"""Where the actions of a rule stand, by its trigger."""

PARTS_OF_A_STEP: tuple[tuple[Place, ...], ...] = (("birth",), ("step", "moment"), ("contact",), ("death",))
"""In which order rules are computed and read: those on birth first, those on death last; within each, from top to bottom."""

Trigger = Literal["each", "once", "becomes", "stops", "birth", "contact", "death"]

TRIGGER_WORDS: dict[str, str] = {
    "each": "at each step",
    "once": "once per particle",
    "becomes": "the moment it becomes true",
    "stops": "the moment it stops being true",
    "birth": "on birth",
    "contact": "on contact",
    "death": "on death",
}


class Rule(Part):
    title: ClassVar[str] = "Rule"
    sentence: ClassVar[str] = "{who} · {trigger} {condition} → {actions} — otherwise {otherwise}"
    help: ClassVar[str] = (
        "A rule says who (groups), when (a trigger and a condition) and what to do. Rules run from top to bottom as they are read; a "
        "rule sees what the rules above it have already changed. The figure at its right edge is how many particles it holds for."
    )

    id: Identifier
    label: Annotated[str, Field(max_length=80)] = ""
    enabled: bool = True
    waits: bool = fields.flag(
        False, label="Begins", yes="waits until switched on", no="on from birth",
        help="A rule that waits does nothing for a particle until an action *switch a rule* has switched it on for that particle.",
    )  # fmt: skip
    who: list[str] = fields.reference("group", label="Who", many="Everyone", help="Groups include the groups within them.")
    trigger: Trigger = fields.choice("each", TRIGGER_WORDS, label="When")
    condition: Condition | None = fields.slot("condition", None, label="Condition", optional="always")
    actions: list[Action] = fields.slot("action", many=True, label="Do")
    otherwise: list[Action] = fields.slot("action", many=True, label="Otherwise")


class PictureSettings(Part):
    """How the effect is seen in a finished picture: nothing of it is computed."""

    title: ClassVar[str] = "Picture"
    sentence: ClassVar[str] = (
        "{width} by {height}, on {background}, seen from {camera}[ at {position}][ toward {target}], {field_of_view} wide"
        "[, exposed for {shutter} of each frame][, sharp at {focus} through a lens {aperture} wide]"
        "[, glowing {glow}[ from {glow_from} up][, {glow_size} wide]]"
        "[, {shapes}], {samples} samples"
    )
    help: ClassVar[str] = (
        "What stills and clips are made of. The camera stands where the stage's does, or at a place of its own, which can have keyframes. "
        "*Exposed* blurs what moves; a wide lens blurs what is not at the focus: click a thing in picture mode to make it sharp. *Glowing* spreads "
        "what is bright. More samples make blur smoother and take longer in proportion."
    )

    width: int = fields.number(1280, unit="px", low=16, high=8192, soft=(320, 3840), step=2, whole=True, label="Width")
    height: int = fields.number(720, unit="px", low=16, high=8192, soft=(240, 2160), step=2, whole=True, label="Height")
    background: list[float] = fields.color([0.063, 0.078, 0.09], label="Background")
    camera: Literal["stage", "own"] = fields.choice("stage", {"stage": "where the stage looks from", "own": "a place of its own"}, label="Camera")
    position: Vector = fields.vector([4.0, 3.0, 9.0], unit="m", label="Camera at")
    target: Vector = fields.vector([0.0, 1.0, 0.0], unit="m", label="Looking at")
    field_of_view: float = fields.number(36.0, unit="deg", low=1, high=150, soft=(10, 90), label="Angle of view")
    shutter: float = fields.number(
        0.0, unit="share", low=0, high=1, soft=(0, 1), label="Exposure", help="Part of a frame's time; film cameras take half."
    )
    aperture: float = fields.number(0.0, unit="m", low=0, high=10, soft=(0, 0.5), label="Lens")
    focus: float = fields.number(6.0, unit="m", low=0.01, high=1e5, soft=(0.5, 30), label="Sharp at")
    glow: float = fields.number(0.0, unit="share", low=0, high=4, soft=(0, 2), label="Glow")
    glow_from: float = fields.number(0.6, unit="share", low=0, high=4, soft=(0, 1), label="Glow from", help="How bright a place has to be to glow.")
    glow_size: float = fields.number(
        0.06, unit="share", low=0.001, high=0.5, soft=(0.01, 0.3), label="Size of the glow", help="Part of the picture's height."
    )
    shapes: bool = fields.flag(True, label="Shapes", yes="with the visible shapes", no="without shapes")
    samples: int = fields.number(16, low=1, high=256, soft=(1, 64), step=1, whole=True, label="Samples")


class Effect(Part):
    """A whole effect document. Lists are in the order in which they are evaluated."""

    title: ClassVar[str] = "Effect"

    format: Literal[7] = 7
    name: Label = "Untitled effect"
    summary: Annotated[str, Field(max_length=600)] = ""
    clock: Clock = Field(default_factory=Clock)
    dials: list[Dial] = collection("dial", most=64, shown=("standard", "limited", "low", "high"))
    shapes: list[Shape] = collection("shape", most=64)
    fields: list[FieldKind] = collection("field", most=64)
    groups: list[Group] = collection("group", most=64, shown=("color",))
    neighbourhoods: list[Neighbourhood] = collection("neighbourhood", most=32)
    attributes: list[Attribute] = collection("attribute", most=32)
    sources: list[Source] = collection("source", most=64)
    rules: list[Rule] = collection("rule", most=200)
    looks: list[Look] = collection("look", most=64, computed=False)
    picture: PictureSettings = Field(default_factory=PictureSettings)
    _problems: list[Any] = PrivateAttr(default_factory=list)
    _left_out: set[tuple[str | int, ...]] = PrivateAttr(default_factory=set)

    @property
    def problems(self) -> list[Any]:
        """What is wrong with rules, fields and looks that the run goes on without (`model.validation.Problem`)."""
        return self._problems

    def leave_out(self, problems: list[Any]) -> None:
        """Told once, when the document is read."""
        self._problems = problems
        self._left_out = {problem.path if problem.only_there else problem.path[:2] for problem in problems}

    def acts(self, collection: str, index: int, branch: str, place: int) -> bool:
        """Whether one action of a rule or source takes part in the run."""
        return (collection, index, branch, place) not in self._left_out

    def works(self, collection: str, index: int) -> bool:
        """Whether an item takes part in the run: switched on, and nothing wrong with it."""
        return (collection, index) not in self._left_out and bool(getattr(getattr(self, collection)[index], "enabled", True))


def numbered(triggers: list[str]) -> list[int]:
    """What number each rule is called by, from the triggers of all: its place in the order in which rules are computed and read, from 1 on."""
    part_of = {place: part for part, places in enumerate(PARTS_OF_A_STEP) for place in places}
    parts = [part_of[TRIGGER_PLACES.get(trigger, "step")] for trigger in triggers]
    numbers = [0] * len(triggers)
    for number, index in enumerate(sorted(range(len(triggers)), key=lambda index: (parts[index], index)), 1):
        numbers[index] = number
    return numbers


def rule_numbers(effect: Effect) -> list[int]:
    """What number each rule of an effect is called by (see `numbered`)."""
    return numbered([rule.trigger for rule in effect.rules])


def freshly_named(base: str, taken: list[dict[str, Any]]) -> tuple[str, str]:
    """An id and a label for one more item of a list: the base itself, or with the first number that is free."""
    ids, labels = {item.get("id") for item in taken}, {item.get("label") for item in taken}
    stem = "".join(letter if letter.isalnum() and letter.isascii() else "-" for letter in base.lower())
    names = [(stem, base), *((f"{stem}-{number}", f"{base} {number}") for number in range(2, len(taken) + 3))]
    return next((identifier, label) for identifier, label in names if identifier not in ids and label not in labels)
