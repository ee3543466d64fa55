"""The attributes that every particle has: names, types, units, and what rules may write. One table for core, checks and interface."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from hailridge.model.kind import ValueType


@dataclass(frozen=True)
class AttributeInfo:
    """One attribute as the interface and the checks see it; `soft` is what a slider spans, `low`/`high` clamp what is written."""

    id: str
    label: str
    unit: str
    value_type: ValueType
    help: str
    soft: tuple[float, float] = (0.0, 1.0)
    low: float | None = None
    high: float | None = None
    writable: bool = True
    inherited: bool = False
    start: float | tuple[float, float, float] = 1.0
    """What it is set to before anything is known of the particles."""


BUILT_IN: dict[str, AttributeInfo] = {
    info.id: info
    for info in [
        AttributeInfo("radius", "radius", "m", "number", "Half the particle's width.", (0, 0.5), 0.0, 1e4, inherited=True, start=0.1),
        AttributeInfo("opacity", "opacity", "", "number", "1 is solid, 0 cannot be seen.", (0, 1), 0.0, 1.0, inherited=True, start=0.5),
        AttributeInfo("color", "colour", "", "color", "The particle's own colour.", (0, 1), 0.0, 1.0, inherited=True, start=(0.9, 0.55, 0.25)),
        AttributeInfo("mass", "mass", "kg", "number", "Used where things push one another.", (0.01, 10), 1e-9, 1e9, inherited=True, start=1.0),
        AttributeInfo("lifetime", "lifetime", "s", "number", "The age at which it leaves.", (0.1, 20), 0.0, 1e6, inherited=True, start=2.0),
        AttributeInfo("age", "age", "s", "number", "Time since birth; may be set back for a new lease of life.", (0, 10), 0.0, 1e6, start=0.0),
        AttributeInfo("speed", "speed", "m/s", "number", "How fast it moves; writing it keeps the direction.", (0, 20), 0.0, 1e5, start=2.0),
        AttributeInfo("velocity", "velocity", "m/s", "vector", "Speed with direction.",
            (-20, 20), -1e5, 1e5, inherited=True, start=(0.0, 2.0, 0.0)),
        AttributeInfo("spin", "spin", "deg/s", "vector", "How fast it turns, about which axis.",
            (-720, 720), -1e6, 1e6, inherited=True, start=(0.0, 180.0, 0.0)),
        AttributeInfo("picture", "picture", "", "number", "Which drawing of a set it shows, 0 the first.",
            (0, 15), 0.0, 4095.0, inherited=True, start=0.0),
        AttributeInfo("position", "position", "m", "vector", "Where its centre is.", (-10, 10), -1e6, 1e6, start=(0.0, 1.0, 0.0)),
    ]
}


def attribute_width(attribute: str) -> int:
    """Numbers to a particle: 3 for vectors and colours; an artist's own attributes are single numbers."""
    info = BUILT_IN.get(attribute)
    return 3 if info is not None and info.value_type in ("vector", "color") else 1


def expected_of(ui: Mapping[str, Any], attribute: Any) -> tuple[str, float | None, float | None, str]:
    """Type, limits and unit of what the field of an amount takes, by its hints; where those leave it to an attribute, by that."""
    info = BUILT_IN.get(str(attribute)) if ui.get("value_from") == "attribute" else None
    if info is None:
        return ui.get("value", "number"), ui.get("low"), ui.get("high"), ui.get("unit", "")
    # What is added to an attribute may be of any size.
    low, high = (None, None) if ui.get("value") == "change" else (info.low, info.high)
    return info.value_type, low, high, info.unit
