"""Taking an attribute back to what it was when the particle came into being."""

from __future__ import annotations

from typing import ClassVar, Literal

from hailridge.core.kinds.actions.weighted import Weighted
from hailridge.core.scene.moment import Moment
from hailridge.core.state.particles import Rows
from hailridge.model import fields
from hailridge.model.parts import LIVING, Place


class Restore(Weighted):
    title: ClassVar[str] = "back to its first value"
    also: ClassVar[str] = "reset original start again"
    sentence: ClassVar[str] = "set {attribute} back to its first value[, only in {where}]"
    category: ClassVar[str] = "Change"
    help: ClassVar[str] = (
        "Gives the attribute the value that this very particle had when it came into being, whatever has changed it since. To let it come back "
        "little by little, use *approach* with the amount *its first value*."
    )
    places: ClassVar[tuple[Place, ...]] = LIVING

    kind: Literal["restore"] = "restore"
    attribute: str = fields.reference("attribute", label="Attribute")

    def returns_to(self) -> str | None:
        return self.attribute

    def act(self, moment: Moment, rows: Rows) -> None:
        self.write(moment, rows, self.attribute, moment.first_values(self.attribute, rows))
