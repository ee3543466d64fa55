"""Where the time of a run goes: seconds by item, each without what others do on its behalf."""

from __future__ import annotations

import time as wall
from dataclasses import dataclass, field
from typing import Any

PARTS = ("birth", "pushes", "motion and contact", "changes", "leaving", "record")
"""The parts of a step, in their order."""


class Costs:
    """Seconds that each item of an effect has taken, by its address.

    Whatever is begun within something else is charged to itself alone: a rule whose condition asks a neighbourhood does not pay for the search.
    So all of them together never exceed the time in which they ran.
    """

    def __init__(self) -> None:
        self.seconds: dict[str, float] = {}
        self.charged = 0.0
        """The sum of all that has been charged (s)."""
        self._within: list[float] = []

    def begin(self) -> float:
        """Begin with an item; what this returns is told at its end."""
        self._within.append(0.0)
        return wall.perf_counter()

    def end(self, address: str, begun: float) -> float:
        """Charge an item with what has passed since it `begun`, but for what was charged to others meanwhile. Returns all that has passed (s)."""
        took = wall.perf_counter() - begun
        own = max(0.0, took - self._within.pop())
        self.seconds[address] = self.seconds.get(address, 0.0) + own
        self.charged += own
        if self._within:
            self._within[-1] += took
        return took


@dataclass
class Clocking:
    """Seconds of each part of the step, summed over the run, and how much of each is charged to no item."""

    costs: Costs
    seconds: dict[str, float] = field(default_factory=lambda: dict.fromkeys(PARTS, 0.0))
    rest: dict[str, float] = field(default_factory=lambda: dict.fromkeys(PARTS, 0.0))
    steps: int = 0
    _last: float = 0.0
    _charged: float = 0.0
    _past_first: bool = False

    @property
    def total(self) -> float:
        """Seconds in all parts together."""
        return sum(self.seconds.values())

    def begin_step(self) -> None:
        """A step begins. The first one of a run, in which everything is made ready, is no measure for the others: it is left out once there are
        others."""
        if self.steps == 1 and not self._past_first:
            self._past_first = True
            self.steps, self.costs.seconds, self.seconds, self.rest = 0, {}, dict.fromkeys(PARTS, 0.0), dict.fromkeys(PARTS, 0.0)
        self.start()

    def start(self) -> None:
        self._last, self._charged = wall.perf_counter(), self.costs.charged

    def lap(self, part: str) -> None:
        """What has passed since the last lap was for this part."""
        now, charged = wall.perf_counter(), self.costs.charged
        took = now - self._last
        self.seconds[part] += took
        self.rest[part] += max(0.0, took - (charged - self._charged))
        self._last, self._charged = now, charged

    def told(self) -> dict[str, Any]:
        """All of it, as it is kept with a run: microseconds are enough."""
        by_item = {address: round(seconds, 6) for address, seconds in self.costs.seconds.items()}
        parts = {part: [round(self.seconds[part], 6), round(self.rest[part], 6)] for part in PARTS}
        return {"steps": self.steps, "parts": parts, "items": by_item}


def owner_of(address: str) -> str:
    """The item to which something within it belongs: `rules/ab12` of `rules/ab12/actions/cd34`."""
    return "/".join(address.split("/")[:2])
