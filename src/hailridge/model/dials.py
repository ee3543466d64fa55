"""Dials: named values on the outside of an effect, numbers, choices and shapes."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import suppress
from math import isfinite
from typing import Annotated, Any, ClassVar, Literal

from pydantic import Field

from hailridge.model import fields
from hailridge.model.kind import Identifier, Label, Part, Value
from hailridge.model.units import OWN_UNITS, OwnUnit

PLAIN = ("number", "vector", "color")
"""Types of dials whose value is numbers that one sets."""


class Dial(Part):
    title: ClassVar[str] = "Dial"
    sentence: ClassVar[str] = "{value}"
    help: ClassVar[str] = (
        "A value with a name, used in as many places as you like: choose *a dial* where a value may vary, and turn it here for all of them at "
        "once. A dial of *choices* is one of a few named numbers. A dial that is *a shape* can be named wherever a shape is: exchange it "
        "here, and all of it moves there. A dial can have keyframes, and be set from the command line. **K** shows all dials over the stage."
    )

    id: Identifier
    label: Label
    type: Literal["number", "vector", "color", "choice", "shape"] = fields.choice(
        "number", {"number": "number", "vector": "vector", "color": "colour", "choice": "one of several", "shape": "shape"}, label="Type", renews=True
    )
    unit: OwnUnit = fields.only_where(fields.choice("", OWN_UNITS, label="Unit"), type=("number", "vector", "choice"))
    value: Value = fields.only_where(fields.value(1.0, label="Value"), type=PLAIN)
    options: str = fields.only_where(
        fields.text(
            "low 0, high 1", label="Choices", help="Names with their numbers, parted by commas: calm 0.5, storm 2. Without numbers they count from 0."
        ),
        type=("choice",),
    )
    chosen: Annotated[str, Field(max_length=80)] = "low"
    """The name of the choice that is made."""
    shape: str | None = fields.only_where(fields.reference("shape", label="Shape", optional="no shape yet"), type=("shape",))
    limited: bool = fields.only_where(fields.flag(False, label="Range", yes="within a range", no="without limits"), type=("number", "vector"))
    low: float = fields.only_where(
        fields.number(0.0, low=-1e9, high=1e9, soft=(-10, 10), label="From", still=True), type=("number", "vector"), limited=("true",)
    )
    high: float = fields.only_where(
        fields.number(1.0, low=-1e9, high=1e9, soft=(-10, 10), label="To", still=True), type=("number", "vector"), limited=("true",)
    )
    standard: Value | None = None
    """What *back to the default* gives; none where nobody has said."""

    @property
    def given(self) -> Any:
        """What it gives where it is named: a number, or three; of choices the number of the chosen one, of a shape nothing."""
        return self._number_chosen() if self.type == "choice" else 0.0 if self.type == "shape" else self.value

    def _number_chosen(self) -> float:
        """Where the one that was chosen is no longer among the choices, the first of them counts."""
        choices = self.choices
        return choices.get(self.chosen, next(iter(choices.values()), 0.0))

    @property
    def choices(self) -> dict[str, float]:
        """What it can be chosen among, and what each counts as."""
        return choices_in(self.options)

    def range(self) -> list[Any]:
        """What it can give: its one value, the ends of its keyframes, or all of its choices."""
        return list(self.choices.values()) or [0.0] if self.type == "choice" else self.all_values("value") if self.type != "shape" else [0.0]

    def faults(self, effect: Any) -> Iterator[tuple[str, str]]:
        if self.type == "choice":
            if not self.choices:
                yield "options", "has to be names with numbers, parted by commas, such as: calm 0.5, storm 2"
        elif self.type in PLAIN:
            for name, values in (("value", self.all_values("value")), ("standard", [] if self.standard is None else [self.standard])):
                if any(isinstance(value, list) != (self.type != "number") for value in values):
                    yield name, "has to be a single number" if self.type == "number" else "has to be three numbers"

    def outside(self) -> float | None:
        """A value that it takes outside of its range, which says what is offered and forbids nothing; None where there is none."""
        if not self.limited or self.type not in ("number", "vector"):
            return None
        low, high = sorted((self.low, self.high))
        taken = (one for value in self.all_values("value") for one in (value if isinstance(value, list) else [value]))
        return next((one for one in taken if not low <= one <= high), None)

    @classmethod
    def renewed(cls, raw: dict[str, Any]) -> dict[str, Any]:
        """A dial's value in the form that its type takes: a number three times over, or the first of three. Keyframes go."""
        if raw.get("type") not in PLAIN:
            words = {name: raw.get(name, cls.model_fields[name].default) for name in ("options", "chosen", "shape")}
            return raw | {"value": 1.0, "standard": None} | words
        value, wide = raw.get("value"), raw.get("type") != "number"
        if isinstance(value, dict):
            value = value["keys"][0]["value"] if value.get("keys") else 1.0
        if wide and not isinstance(value, list):
            value = [float(value or 0.0)] * 3
        elif not wide and isinstance(value, list):
            value = value[0] if value else 1.0
        if raw.get("type") == "color" and isinstance(value, list):
            value = [min(max(entry, 0.0), 1.0) for entry in value]
        return raw | {"value": value, "standard": None}


def choices_in(text: str) -> dict[str, float]:
    """Names with numbers, parted by commas; those without count from 0. Nothing where a name comes twice or is missing."""
    found: dict[str, float] = {}
    for place, entry in enumerate(text.split(",")):
        name, number = entry.strip(), float(place)
        words = name.split()
        if len(words) > 1:
            with suppress(ValueError):
                number = float(words[-1])
                name = " ".join(words[:-1])
        if not name or name in found or not isfinite(number):
            return {}
        found[name] = number
    return found
