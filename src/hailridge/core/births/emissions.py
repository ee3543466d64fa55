"""When a source gives birth, and to how many."""

from __future__ import annotations

import math
from typing import Any, ClassVar, Literal

import numpy as np

from hailridge.model import fields
from hailridge.model.parts import Emission

NEVER = 1e9


class Rate(Emission):
    title: ClassVar[str] = "at a rate"
    sentence: ClassVar[str] = "{rate}, from {start}[ until {stop}][, at most {maximum}]"
    help: ClassVar[str] = "A steady stream. Births are spread evenly in time, also inside a step, so the stream does not come in puffs."

    kind: Literal["rate"] = "rate"
    rate: float = fields.number(60.0, unit="1/s", low=0, high=1e7, soft=(0, 2000), label="Rate")
    start: float = fields.number(0.0, unit="s", low=-1000, high=NEVER, soft=(0, 10), label="From")
    stop: float = fields.number(NEVER, unit="s", low=-1000, high=NEVER, soft=(0, 10), label="Until")
    maximum: int = fields.number(0, low=0, high=10_000_000, soft=(0, 10_000), whole=True, unit="count", label="At most (0: no limit)")

    def before(self, time: float) -> int:
        # The k-th birth is at start + (k + ½) / rate: as many in any span as rate × span, to the nearest whole number.
        span = min(time, self.stop) - self.start
        number = max(0, math.floor(span * self.rate + 0.5 - 1e-9)) if span > 0 else 0
        return min(number, self.maximum) if self.maximum else number

    def births(self, start: float, end: float, first: bool) -> Any:
        ordinals = np.arange(self.before(start), self.before(end))
        return self.start + (ordinals + 0.5) / max(self.rate, 1e-12)


class Burst(Emission):
    title: ClassVar[str] = "in one burst"
    sentence: ClassVar[str] = "{count} at once, at {time}"
    help: ClassVar[str] = "All at the same moment. With a count of one it is a single particle at next to no cost."

    kind: Literal["burst"] = "burst"
    count: int = fields.number(1000, low=0, high=5_000_000, soft=(1, 60_000), whole=True, unit="count", label="How many")
    time: float = fields.number(0.0, unit="s", low=0, high=NEVER, soft=(0, 10), label="At")

    def before(self, time: float) -> int:
        return self.count if time > self.time else 0

    def births(self, start: float, end: float, first: bool) -> Any:
        due = (start < self.time <= end) or (first and self.time == start)
        return np.full(self.count if due else 0, self.time)
