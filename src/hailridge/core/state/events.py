"""Events: every change of state of every particle, bounded, the source of life stories and match counts."""

from __future__ import annotations

from enum import IntEnum
from typing import Any

import numpy as np
from numpy.typing import NDArray

from hailridge.core.state.particles import Rows, number_of


class Happening(IntEnum):
    """What can happen to a particle."""

    BIRTH = 0
    MOVE = 1
    RULE = 2
    CONTACT = 3
    DEATH = 4
    RULE_END = 5


EVENT = np.dtype(
    [("frame", "i4"), ("time", "f4"), ("particle", "i4"), ("what", "i2"), ("item", "i2"), ("previous", "i2"), ("present", "i2"),
     ("value", "f4"), ("parent", "i4")]
)  # fmt: skip
"""One event: 28 bytes. `item` is a rule (births by rule have a parent), a source or a shape, by what happened; −1 for none."""

TOUCH = np.dtype(
    [("time", "f4"), ("particle", "i4"), ("shape", "i2"), ("other", "i4"), ("place", "f4", 3), ("normal", "f4", 3), ("speed", "f4")]
)  # fmt: skip
"""One touch: 42 bytes. When (s), whose, of which shape (its index, −1 for another particle: `other`, else −1), where on the surface (m, in the
world), the direction off it there, and how fast it came onto it (m/s)."""

MOST_EVENTS = 4_000_000
"""Kept in one run; past that only one particle in sixteen is followed, and the run says so."""


class EventLog:
    """Events of the present frame, taken out when the frame is recorded."""

    def __init__(self, limit: int = MOST_EVENTS) -> None:
        self.limit = limit
        self.total = 0
        self.sampled = False
        self._blocks: list[NDArray[Any]] = []
        self._touches: list[NDArray[Any]] = []

    def touch(self, moment: Any, rows: Rows, times: Any, shape: Any, places: Any, normals: Any, speeds: Any, other: Any = -1) -> None:
        """Write what a contact leaves beyond its event: one for each row (`TOUCH`)."""
        if number_of(rows) == 0 or self.limit == 0:
            return
        block = np.empty(number_of(rows), TOUCH)
        block["particle"] = moment.column("id")[rows]
        for name, values in (("time", times), ("shape", shape), ("other", other), ("place", places), ("normal", normals), ("speed", speeds)):
            block[name] = values
        self._touches.append(block[block["particle"] % 16 == 0] if self.sampled else block)

    def take_touches(self) -> NDArray[Any]:
        """The touches since the last call, in order of time."""
        out = _joined(self._touches, TOUCH)
        self._touches = []
        return out[np.argsort(out["time"], kind="stable")]

    def add(
        self, what: Happening, moment: Any, rows: Rows, item: Any, previous: Any = -1, present: Any = -1, value: Any = 0.0, parent: Any = -1,
    ) -> None:  # fmt: skip
        """Write one event for each row; `item`, `previous`, `present`, `value` and `parent` may be one for all or one per row."""
        number = number_of(rows)
        if number == 0 or self.limit == 0:
            return
        block = np.empty(number, EVENT)
        block["frame"] = moment.frame
        block["time"] = moment.time
        block["particle"] = moment.column("id")[rows]
        block["what"] = what
        block["item"] = item
        block["previous"] = previous
        block["present"] = present
        block["value"] = value
        block["parent"] = parent
        if self.sampled:
            block = block[block["particle"] % 16 == 0]
        self._blocks.append(block)
        self.total += len(block)
        self.sampled = self.sampled or self.total > self.limit

    def date_last(self, times: NDArray[np.float64]) -> None:
        """Give the events written last their own times (seconds), where a step is longer than a frame."""
        if self._blocks and len(self._blocks[-1]) == len(times):
            self._blocks[-1]["time"] = times

    def take(self) -> NDArray[Any]:
        """The events since the last call, in the order in which they were written."""
        out = _joined(self._blocks, EVENT)
        self._blocks = []
        return out


def _joined(blocks: list[NDArray[Any]], kind: np.dtype[Any]) -> NDArray[Any]:
    """Blocks put together by hand: joining arrays of records compares their fields one by one, block by block."""
    out = np.empty(sum(map(len, blocks)), kind)
    at = 0
    for block in blocks:
        out[at : at + len(block)] = block
        at += len(block)
    return out
