from __future__ import annotations

from typing import Any, ClassVar, Literal

import numpy as np

from hailridge.core.kinds.amounts.fixed import Mixture
from hailridge.core.scene.moment import Moment
from hailridge.core.state.particles import Rows
from hailridge.model import fields
from hailridge.model.kind import Value
from hailridge.model.parts import Quantity


class Mapped(Mixture):
    """A value that follows a quantity, between two ends."""

    title: ClassVar[str] = "mapped from a quantity"
    also: ClassVar[str] = "remap depends driven by"
    sentence: ClassVar[str] = "{low} to {high} as {quantity} goes from {start} to {end}"
    help: ClassVar[str] = (
        "Reads a quantity of the particle and turns it into a value: at or below *from* the first value, at or above *to* the second, "
        "in between a mixture. Colours mix too, which makes this a colour ramp."
    )

    kind: Literal["mapped"] = "mapped"
    quantity: Quantity = fields.slot("quantity", {"kind": "life_fraction"}, label="Follows")
    start: float = fields.number(0.0, label="From", unit_from="quantity", suggest="lowest")
    end: float = fields.number(1.0, label="To", unit_from="quantity", suggest="highest")
    low: Value = fields.value(0.0, label="First value")
    high: Value = fields.value(1.0, label="Second value")

    def give(self, moment: Moment, rows: Rows) -> Any:
        read = np.asarray(self.quantity.read(moment, rows), np.float32)
        width = self.end - self.start
        share = np.clip((read - np.float32(self.start)) / np.float32(width), 0, 1) if width else (read >= self.end).astype(np.float32)
        return self.mixed(share)
