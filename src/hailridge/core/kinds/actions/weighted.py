"""Actions that a field can weaken."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np

from hailridge.core.scene.moment import Moment
from hailridge.core.state.particles import Rows, as_factor
from hailridge.model import fields
from hailridge.model.parts import Action


def in_leaps(effect: Any, attribute: str, text: str) -> Iterator[tuple[str, str]]:
    """A fault where an attribute only knows whole steps: a whole number, or a yes or no."""
    for declared in effect.attributes:
        if declared.id == attribute and declared.type in ("whole", "flag"):
            yield "attribute", f"'{declared.label}' is {declared.words('type')}: it {text}"


class Weighted(Action):
    """An action with a field that may say where it acts, and how much."""

    where: str | None = fields.reference("field", label="Where", optional="everywhere", help="A field that weakens it: full where the field is 1.")

    def share(self, moment: Moment, rows: Rows) -> Any:
        """What the field leaves of it: 1, or (k,)."""
        if self.where is None:
            return np.float32(1)
        return moment.field_of(self.where, rows)

    def write(self, moment: Moment, rows: Rows, attribute: str, value: Any) -> None:
        """Give an attribute a value (k,) or (k, 3), or go as much of the way to it as the field says."""
        if self.where is not None:
            present, share = moment.read_attribute(attribute, rows), self.share(moment, rows)
            value = present + (value - present) * (as_factor(share) if present.ndim == 2 else share)
        moment.write_attribute(attribute, rows, value)
