"""The effect: one document with clock, shapes, groups, attributes, sources, rules and looks."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from pydantic import Field

from hailridge.model import fields
from hailridge.model.kind import Identifier, Label, Part
from hailridge.model.parts import Action, Amount, Condition, Direction, Emission, Look, Placement, Shape

FORMAT = 1
"""Version of the document format; `model.migrations` lifts older ones."""

ItemSeed = Annotated[int, Field(ge=0, le=2**31 - 1)]

# Okabe and Ito's palette for colour-blind readers; groups take the next one free.
GROUP_COLORS = ["#56b4e9", "#e69f00", "#009e73", "#f0e442", "#cc79a7", "#d55e00", "#0072b2", "#bfc7c9"]


class Clock(Part):
    title: ClassVar[str] = "Clock"
    sentence: ClassVar[str] = "{duration} at {frames_per_second} frames a second, {steps_per_frame} a frame, seed {seed}"
    help: ClassVar[str] = (
        "The clock sets how long the effect runs and how finely time is cut. More steps a frame make fast particles follow "
        "curves instead of polygons; they cost time in proportion. The seed reshuffles every random choice at once."
    )

    frames_per_second: float = fields.number(24.0, low=1, high=240, soft=(12, 60), step=1, label="Frames a second")
    duration: float = fields.number(5.0, unit="s", low=0.04, high=600, soft=(1, 20), label="Duration")
    steps_per_frame: int = fields.number(1, low=1, high=32, soft=(1, 8), step=1, whole=True, label="Steps a frame", unit="steps")
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
    sentence: ClassVar[str] = "starts at {initial}, {inherited}"
    help: ClassVar[str] = "A number of your own that every particle carries from step to step, to be set and read by rules."

    id: Identifier
    label: Label
    initial: Amount = fields.amount(0.0, label="First value")
    inherited: bool = fields.flag(False, label="Handed to children", yes="handed to children", no="children start afresh")


class Source(Part):
    title: ClassVar[str] = "Source"
    sentence: ClassVar[str] = (
        "{emission}, {placement} of {shape}[, lifted {offset}] → {direction} at {speed}, radius {radius}, living {lifetime}, {color}"
        "[, mass {mass}]"
    )
    help: ClassVar[str] = (
        "A source brings particles into being on a shape. Every first value can vary from particle to particle: open its chip and "
        "choose *vary…*. Births at a rate are spread inside each step, so that a stream does not clump."
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
    radius: Amount = fields.amount(0.05, unit="m", low=0, high=1000, soft=(0.005, 0.5), label="Radius")
    lifetime: Amount = fields.amount(4.0, unit="s", low=0, high=100_000, soft=(0.1, 20), label="Lifetime")
    color: Amount = fields.amount([0.85, 0.92, 0.95], value="color", low=0, high=1, label="Colour")
    mass: Amount = fields.amount(1.0, unit="kg", low=1e-9, high=1e9, soft=(0.01, 10), label="Mass")
    seed: ItemSeed = 0


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
    who: list[str] = fields.reference("group", label="Who", many="Everyone", help="Groups include the groups within them.")
    trigger: Trigger = fields.choice("each", TRIGGER_WORDS, label="When")
    condition: Condition | None = fields.slot("condition", None, label="Condition", optional="always")
    actions: list[Action] = fields.slot("action", many=True, label="Do")
    otherwise: list[Action] = fields.slot("action", many=True, label="Otherwise")


class Effect(Part):
    """A whole effect document. Lists are in the order in which they are evaluated."""

    title: ClassVar[str] = "Effect"

    format: Literal[1] = 1
    name: Label = "Untitled effect"
    summary: Annotated[str, Field(max_length=600)] = ""
    clock: Clock = Field(default_factory=Clock)
    shapes: list[Shape] = Field(default_factory=list, max_length=64)
    groups: list[Group] = Field(default_factory=list, max_length=64)
    attributes: list[Attribute] = Field(default_factory=list, max_length=32)
    sources: list[Source] = Field(default_factory=list, max_length=64)
    rules: list[Rule] = Field(default_factory=list, max_length=200)
    looks: list[Look] = Field(default_factory=list, max_length=64)
