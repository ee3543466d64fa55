"""When a source gives birth, and to how many."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Any, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import PrivateAttr

from hailridge.core.scene.curves import ReadyCurve, RunningTotal
from hailridge.core.scene.span import Span
from hailridge.model import fields
from hailridge.model.parts import Emission

NEVER = 1e9

Times = NDArray[np.float64]


def count_field(label: str = "How many", soft: tuple[float, float] = (1, 60_000), default: int = 1000) -> Any:
    return fields.number(default, low=0, high=5_000_000, soft=soft, whole=True, unit="count", label=label)


def time_field(default: float, label: str, low: float = -1000) -> Any:
    return fields.number(default, unit="s", low=low, high=NEVER, soft=(0, 10), label=label, still=True)


class Rate(Emission):
    title: ClassVar[str] = "a stream"
    also: ClassVar[str] = "at a rate per second constant"
    rank: ClassVar[int] = 2
    sentence: ClassVar[str] = "{rate}, from {start}[ until {stop}][, at most {maximum}]"
    help: ClassVar[str] = (
        "A steady stream. Births are spread evenly in time, also inside a step, so the stream does not come in puffs. The rate can have "
        "keyframes. From 0 means from the beginning, pre-roll included."
    )

    kind: Literal["rate"] = "rate"
    rate: float = fields.number(60.0, unit="1/s", low=0, high=1e7, soft=(0, 2000), label="Rate")
    start: float = time_field(0.0, "From")
    stop: float = time_field(NEVER, "Until")
    maximum: int = fields.number(0, low=0, high=10_000_000, soft=(0, 10_000), whole=True, unit="count", label="At most (0: no limit)")
    _made: tuple[tuple[float, float], RunningTotal] | None = PrivateAttr(default=None)

    def _total(self, span: Span) -> RunningTotal | None:
        """The sum under a keyed rate, made once a run; None for a rate that stays the same."""
        curve = self.tracks.get("rate")
        if curve is None:
            return None
        wanted = (span.beginning, span.last)
        if self._made is None or self._made[0] != wanted:
            self._made = (wanted, RunningTotal(ReadyCurve(curve), span.since(self.start), min(self.stop, span.last) + 1e-9))
        return self._made[1]

    def before(self, span: Span, time: float) -> int:
        # The k-th birth is due when k + ½ have accumulated: as many in any span as rate × span, to the nearest whole number.
        length = min(time, self.stop) - span.since(self.start)
        total = self._total(span)
        due = total.until(min(time, self.stop)) if total is not None else length * self.rate
        number = max(0, math.floor(due + 0.5 - 1e-9)) if length > 0 else 0
        return min(number, self.maximum) if self.maximum else number

    def births(self, span: Span) -> Times:
        first = self.before(span, span.start)
        ordinals = np.arange(first, min(self.before(span, span.end), first + span.most))
        total = self._total(span)
        if total is not None:
            return np.clip(total.when(ordinals.astype(np.float64) + 0.5), span.start, span.end)
        return np.asarray(span.since(self.start) + (ordinals + 0.5) / max(self.rate, 1e-12))

    def begins(self) -> float:
        return self.start


class AtOnce(Emission):
    """What timings share that give all their births at one moment."""

    if TYPE_CHECKING:
        time: float

    def number(self, span: Span) -> int:
        """How many are born then."""
        raise NotImplementedError

    def when(self, span: Span) -> float:
        """0 is frame 0, also where the effect begins before it; a time before the effect begins means its beginning."""
        return max(self.time, span.beginning)

    def before(self, span: Span, time: float) -> int:
        return self.number(span) if time > self.when(span) else 0

    def births(self, span: Span) -> Times:
        when = np.array([self.when(span)])
        return np.repeat(when, min(self.number(span), span.most) if span.due(when)[0] else 0)

    def begins(self) -> float:
        return self.time


class Burst(AtOnce):
    title: ClassVar[str] = "many at once"
    also: ClassVar[str] = "in one burst all at once explosion"
    rank: ClassVar[int] = 1
    sentence: ClassVar[str] = "{count} at once, at {time}"
    help: ClassVar[str] = (
        "All at the same moment. At 0 means at frame 0, whatever the pre-roll; a time below 0 lies in the pre-roll, as far as that reaches."
    )

    kind: Literal["burst"] = "burst"
    count: int = count_field()
    time: float = time_field(0.0, "At", low=-600)

    def number(self, span: Span) -> int:
        return self.count


class One(AtOnce):
    title: ClassVar[str] = "exactly one"
    also: ClassVar[str] = "single one"
    rank: ClassVar[int] = 0
    sentence: ClassVar[str] = "exactly one, at {time}"
    help: ClassVar[str] = (
        "A single particle: a flash, a flare, a leader for others. It costs next to nothing. At 0 means at frame 0, whatever the pre-roll."
    )

    kind: Literal["one"] = "one"
    time: float = time_field(0.0, "At", low=-600)

    def number(self, span: Span) -> int:
        return 1


class Pulses(Emission):
    title: ClassVar[str] = "in bursts"
    also: ClassVar[str] = "again and again repeated pulses salvo"
    rank: ClassVar[int] = 3
    sentence: ClassVar[str] = "{count} at once every {every}, from {start}[ until {stop}][, {times} times]"
    help: ClassVar[str] = "A burst, again and again: like breath, or a salvo. From 0 means from the beginning, pre-roll included."

    kind: Literal["pulses"] = "pulses"
    count: int = count_field("How many each time", (1, 5_000), 100)
    every: float = fields.number(0.5, unit="s", low=1e-3, high=1e5, soft=(0.04, 5), label="Every", still=True)
    start: float = time_field(0.0, "From")
    stop: float = time_field(NEVER, "Until")
    times: int = fields.number(0, low=0, high=100_000, soft=(0, 50), whole=True, label="How many times (0: no limit)")

    def _pulses(self, span: Span, time: float, included: bool) -> int:
        """How many pulses there were up to a time, that time included or not."""
        length = min(time, self.stop) - span.since(self.start)
        # A billionth of an interval absorbs the rounding of times that are meant to be equal.
        number = math.floor(length / self.every + 1e-9) + 1 if included else math.ceil(length / self.every - 1e-9)
        number = max(0, number)
        return min(number, self.times) if self.times else number

    def before(self, span: Span, time: float) -> int:
        return self.count * self._pulses(span, time, included=not (span.first and time == span.start))

    def births(self, span: Span) -> Times:
        pulses = np.arange(self._pulses(span, span.start, included=not span.first), self._pulses(span, span.end, included=True))
        pulses = pulses[: span.most // max(1, self.count) + 1]
        return np.repeat(span.since(self.start) + pulses * self.every, self.count)[: span.most].clip(span.start, span.end)

    def begins(self) -> float:
        return self.start


class Fill(AtOnce):
    title: ClassVar[str] = "one at every place"
    also: ClassVar[str] = "every place once"
    rank: ClassVar[int] = 4
    sentence: ClassVar[str] = "one at every place, at {time}"
    help: ClassVar[str] = "As many as there are places: the points of a lattice, the points or faces of a mesh, places kept apart. All at once."

    kind: Literal["fill"] = "fill"
    time: float = time_field(0.0, "At", low=-600)

    def number(self, span: Span) -> int:
        return span.places() or 0
