"""The attributes that every particle has: names, types, units, and what rules may write. One table for core, checks and interface."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Any

from hailridge.model.kind import ValueType

WIDE: frozenset[str] = frozenset({"vector", "color", "orientation"})
"""Types that are given as three numbers."""


@dataclass(frozen=True)
class AttributeInfo:
    """One attribute: a row of the table that core, checks and interface share.

    `soft` is what a slider spans, `low` and `high` clamp what is written, `share` is how much of a parent's value a child gets unless it is said
    otherwise (percent; of a flag the chance). What is not `stored` follows from others.
    """

    id: str
    label: str
    unit: str
    value_type: ValueType
    help: str
    soft: tuple[float, float] = (0.0, 1.0)
    low: float | None = None
    high: float | None = None
    writable: bool = True
    share: float = 0.0
    start: float | tuple[float, float, float] = 1.0
    """What it is set to before anything is known of the particles."""
    stored: bool = True
    own: bool = False
    """Whether the effect declares it."""
    also: str = ""
    """Other words that one may look for it by."""
    memory: bool = False
    """Whether it is what a rule or one of its parts remembers of each particle: kept and recorded, but for nobody else to read or write."""
    birth: float | tuple[float, ...] = 0.0
    """What its column holds before its first value is given, as it is kept."""
    optional: tuple[str, ...] = ()
    """The columns that only effects have of which some part names it; where it is not among them, every particle has it."""

    @property
    def width(self) -> int:
        """Numbers in which it is given and told: 3 or 1."""
        return 3 if self.value_type in WIDE else 1

    @property
    def column(self) -> str:
        """The column that keeps it."""
        return f"own {self.id}" if self.own else self.id

    @property
    def kept(self) -> tuple[str, int]:
        """How it is kept: NumPy's name of the type, and how many of them."""
        dtype = {"whole": "i4", "flag": "u1"}.get(self.value_type, "f4")
        return dtype, 4 if self.value_type == "orientation" else self.width


BUILT_IN: dict[str, AttributeInfo] = {
    info.id: info
    for info in [
        AttributeInfo("radius", "radius", "m", "number", "Half the particle's width.",
            (0, 0.5), 0.0, 1e4, share=100, start=0.1, also="size big small width"),
        AttributeInfo("opacity", "opacity", "", "number", "1 is solid, 0 cannot be seen.",
            (0, 1), 0.0, 1.0, share=100, start=0.5, also="alpha transparency visible"),
        AttributeInfo("color", "colour", "", "color", "The particle's own colour.",
            (0, 1), 0.0, 1.0, share=100, start=(0.9, 0.55, 0.25), also="color tint hue"),
        AttributeInfo("mass", "mass", "kg", "number", "Used where things push one another.",
            (0.01, 10), 1e-9, 1e9, share=100, start=1.0, also="weight heavy"),
        AttributeInfo("lifetime", "lifetime", "s", "number", "The age at which it leaves; `ever` is typed for one that never does.",
            (0.1, 20), 0.0, 1e9, share=100, start=2.0, also="life lives"),
        AttributeInfo("age", "age", "s", "number", "Time since birth; may be set back for a new lease of life.",
            (0, 10), 0.0, 1e6, start=0.0, stored=False),
        AttributeInfo("speed", "speed", "m/s", "number", "How fast it moves; writing it keeps the direction.",
            (0, 20), 0.0, 1e5, start=2.0, stored=False),
        AttributeInfo("velocity", "velocity", "m/s", "vector", "Speed with direction.",
            (-20, 20), -1e5, 1e5, share=100, start=(0.0, 2.0, 0.0)),
        AttributeInfo("spin", "spin", "deg/s", "vector", "How fast it turns, about which axis.",
            (-720, 720), -1e6, 1e6, share=100, start=(0.0, 180.0, 0.0), optional=("orientation", "spin"), also="rotation turning rotate"),
        AttributeInfo("picture", "picture", "", "number", "Which drawing of a set it shows, 0 the first.",
            (0, 15), 0.0, 4095.0, share=100, start=0.0, optional=("picture",)),
        AttributeInfo("position", "position", "m", "vector", "Where its centre is.", (-10, 10), -1e6, 1e6, start=(0.0, 1.0, 0.0)),
    ]
}


OWN_RANGES: dict[str, tuple[tuple[float, float], float | None, float | None]] = {
    "number": ((0.0, 1.0), None, None),
    "whole": ((0.0, 10.0), -2e9, 2e9),
    "flag": ((0.0, 1.0), 0.0, 1.0),
    "vector": ((-1.0, 1.0), None, None),
    "color": ((0.0, 1.0), 0.0, 1.0),
    "orientation": ((-180.0, 180.0), None, None),
}
"""What a slider spans for an attribute of one's own, and the limits that come with its type."""

OWN_STARTS: dict[str, float | tuple[float, float, float]] = {
    "vector": (0.0, 1.0, 0.0), "color": (0.9, 0.55, 0.25), "orientation": (0.0, 90.0, 0.0),
}  # fmt: skip


def own_info(given: Mapping[str, Any]) -> AttributeInfo:
    """The row of an attribute that an effect declares, from its fields (`model.effect.Attribute`)."""
    kind = str(given.get("type", "number"))
    soft, low, high = OWN_RANGES.get(kind, OWN_RANGES["number"])
    if given.get("limited") and kind in ("number", "whole"):
        ends = [float(end) for end in (given.get("low"), given.get("high")) if isinstance(end, int | float)]
        if len(ends) == 2:
            low, high = soft = min(ends), max(ends)
    unit = "deg" if kind == "orientation" else str(given.get("unit", "")) if kind in ("number", "vector") else ""
    share = given.get("share", 0.0)
    return AttributeInfo(
        str(given.get("id", "")), str(given.get("label", "")), unit, kind, "", soft, low, high,  # type: ignore[arg-type]
        share=float(share) if isinstance(share, int | float) else 0.0, start=OWN_STARTS.get(kind, 1.0), own=True,
        birth=(0.0, 0.0, 0.0, 1.0) if kind == "orientation" else 0.0,
    )  # fmt: skip


def remembered(name: str, kind: ValueType, birth: float = 0.0) -> AttributeInfo:
    """The row of what a rule, or one of its parts, remembers of each particle. Never handed on to children: they begin with a clean memory."""
    return AttributeInfo(name, name, "", kind, "", writable=False, memory=True, birth=birth)


def memory_of_rule(rule: str, what: str) -> str:
    """The id of a row that a rule remembers, by the rule's id."""
    return f"rules/{rule} {what}"


def table_of(own: Iterable[Mapping[str, Any]]) -> dict[str, AttributeInfo]:
    """All attributes of an effect by their ids: the built-in ones, and those that it declares (their fields, as a document holds them)."""
    return BUILT_IN | {info.id: info for info in map(own_info, own)}


def raw_table(document: Mapping[str, Any]) -> dict[str, AttributeInfo]:
    """The table of a document that may not be well formed."""
    declared = document.get("attributes")
    return table_of([item for item in declared if isinstance(item, Mapping)] if isinstance(declared, list) else [])


Table = Mapping[str, AttributeInfo]


def expected_of(ui: Mapping[str, Any], owner: Mapping[str, Any], table: Table) -> tuple[str, float | None, float | None, str]:
    """Type, limits and unit of what the field of an amount takes, by its hints; where those leave it to the attribute that its owner names, or to
    the owner itself, by that."""
    match ui.get("value_from"):
        case "attribute":
            info = table.get(str(owner.get("attribute")))
        case "type":
            info = own_info(owner)
        case _:
            info = None
    if info is None:
        return ui.get("value", "number"), ui.get("low"), ui.get("high"), ui.get("unit", "")
    # What is added to an attribute may be of any size.
    low, high = (None, None) if ui.get("value") == "change" else (info.low, info.high)
    return info.value_type, low, high, info.unit
