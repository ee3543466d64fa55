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

MOST_EVENTS = 4_000_000
"""Kept in one run; past that only one particle in sixteen is followed, and the run says so."""


class EventLog:
    """Events of the present frame, taken out when the frame is recorded."""

    def __init__(self, limit: int = MOST_EVENTS) -> None:
        self.limit = limit
        self.total = 0
        self.sampled = False
        self._blocks: list[NDArray[Any]] = []

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
        # Put together by hand: joining arrays of records compares their fields one by one, block by block.
        out = np.empty(sum(map(len, self._blocks)), EVENT)
        at = 0
        for block in self._blocks:
            out[at : at + len(block)] = block
            at += len(block)
        self._blocks = []
        return out
