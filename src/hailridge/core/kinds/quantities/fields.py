"""Reading fields."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

from hailridge.core.scene.moment import Moment
from hailridge.core.state.particles import Rows
from hailridge.model import fields
from hailridge.model.parts import Quantity


class FieldValue(Quantity):
    title: ClassVar[str] = "value of a field"
    also: ClassVar[str] = "region mask area noise"
    sentence: ClassVar[str] = "{field}"
    category: ClassVar[str] = "Scene"
    help: ClassVar[str] = "The field's value, 0 to 1, where the particle is: above 0.5 is halfway in, above 0 anywhere inside."
    low: ClassVar[float | None] = 0.0
    high: ClassVar[float | None] = 1.0

    kind: Literal["field"] = "field"
    field: str = fields.reference("field", label="Field")

    def read(self, moment: Moment, rows: Rows) -> Any:
        return moment.field_of(self.field, rows)
