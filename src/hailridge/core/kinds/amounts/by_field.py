from __future__ import annotations

from typing import Any, ClassVar, Literal

from hailridge.core.kinds.amounts.fixed import Mixture
from hailridge.core.scene.moment import Moment
from hailridge.core.state.particles import Rows
from hailridge.model import fields
from hailridge.model.kind import Value


class ByField(Mixture):
    """A value that follows a field."""

    title: ClassVar[str] = "by a field"
    also: ClassVar[str] = "region"
    rank: ClassVar[int] = 12
    sentence: ClassVar[str] = "{low} outside {field} to {high} inside"
    help: ClassVar[str] = "Reads a field at the particle's place: the first value where it is 0, the second where it is 1, a mixture in between."

    kind: Literal["field"] = "field"
    field: str = fields.reference("field", label="Field")
    low: Value = fields.value(0.0, label="Outside")
    high: Value = fields.value(1.0, label="Inside")

    def give(self, moment: Moment, rows: Rows) -> Any:
        return self.mixed(moment.field_of(self.field, rows))
