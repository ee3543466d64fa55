"""A neighbourhood: who looks among whom, how far, at how many. One question with a name, whose answers are quantities."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, ClassVar, Literal

from hailridge.model import fields
from hailridge.model.attributes import AttributeInfo, Table, remembered
from hailridge.model.kind import Identifier, Label, Part
from hailridge.model.parts import Amount

MOST_NEAREST = 64
"""How many nearest can be told apart."""

KIN_WORDS = {"any": "of any parent", "others": "of another parent", "siblings": "of the same parent"}


class Neighbourhood(Part):
    title: ClassVar[str] = "Neighbourhood"
    sentence: ClassVar[str] = (
        "{who} look among {among}[, {nested}] within {reach}[, {edges}][, at most {most}, nearest first][, {angle} ahead][, only {kin}][, {keeping}]"
    )
    help: ClassVar[str] = (
        "Who looks among whom, and how far. What it finds can be read by any value, condition, colour or chart, and those found can be acted on. "
        "Nobody ever finds itself. It is asked where everybody stands as a part of the step begins; whom a rule moves to another group or removes "
        "is not found by the rules below it."
    )

    id: Identifier
    label: Label
    who: list[str] = fields.reference("group", label="Who looks", many="Everyone", help="Groups include the groups within them.")
    among: list[str] = fields.reference("group", label="Among", many="everyone")
    nested: bool = fields.flag(True, label="Groups within them", yes="with the groups within them", no="without the groups within them")
    reach: Amount = fields.amount(
        0.5, unit="m", low=0, high=1e4, soft=(0.02, 5), label="Within",
        help="It can vary: let it grow with age, follow the radius, or be a dial.",
    )  # fmt: skip
    edges: bool = fields.flag(False, label="Measured", yes="measured between their surfaces", no="measured between their centres")
    most: int = fields.number(
        0, low=0, high=MOST_NEAREST, soft=(0, 16), step=1, whole=True, label="At most", help="The nearest; 0 for all within reach."
    )
    angle: float = fields.number(
        360.0, unit="deg", low=1, high=360, soft=(30, 360), label="Angle of view",
        help="About the way it moves; whoever stands still sees all round.",
    )  # fmt: skip
    kin: Literal["any", "others", "siblings"] = fields.choice("any", KIN_WORDS, label="Parents")
    keeping: bool = fields.flag(
        False, label="Choice", yes="keeping to the one chosen until it is lost", no="choosing anew each time",
        help="Kept to the one: the nearest is chosen, and stays the only one found for as long as it can be found at all.",
    )  # fmt: skip

    @property
    def chosen(self) -> str:
        """The column that keeps the id of the one chosen."""
        return f"neighbourhoods/{self.id} chosen"

    @property
    def listed(self) -> int:
        """How many of those found are told apart; 0 where all within reach are found together."""
        return 1 if self.keeping else self.most

    def remembers(self, attributes: Table) -> Iterator[AttributeInfo]:
        if self.keeping:
            yield remembered(self.chosen, "whole", -1)

    def faults(self, effect: Any) -> Iterator[tuple[str, str]]:
        if self.angle < 360 and any(value <= 0 for value in self.all_values("angle")):
            yield "angle", "has to be above 0"
