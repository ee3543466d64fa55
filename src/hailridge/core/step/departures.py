"""Who left within a frame, and for whom each rule held: the record from which counts and rings are both made."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from hailridge.core.kernels import memory
from hailridge.core.scene.layout import turn_column, turn_mask
from hailridge.core.scene.moment import Moment
from hailridge.core.scene.plan import Plan
from hailridge.core.scene.ready import STEP_TRIGGERS, ReadyRule
from hailridge.core.state.particles import Array

SEEN = ("id", "group", "position", "radius")
"""What is kept of those who have left, besides the bits of the rules that held for them."""


class Departures:
    """Those who left since the last frame. A rule that takes its turn at each step is told of those of the last step only."""

    def __init__(self, plan: Plan) -> None:
        self.plan = plan
        self.bits = [turn_column(bit) for bit in range(0, plan.turns, 8)]
        self._instants: dict[str, NDArray[np.uint8]] = {name: np.zeros(1, np.uint8) for name in self.bits}
        for ready in plan.rules:
            if ready.rule.trigger not in STEP_TRIGGERS:
                for bit in bits_of(ready):
                    self._instants[turn_column(bit)] |= turn_mask(bit)
        self._kept: list[dict[str, Array]] = []

    def begin_frame(self, moment: Moment) -> None:
        """Forget everything that happened in the frame before."""
        self._kept = []
        for name, mask in self._instants.items():
            if mask:
                moment.column(name)[:] &= ~mask

    def begin_step(self) -> None:
        """Turns taken in an earlier step of the frame no longer count; what happened in it does."""
        for block in self._kept:
            for name, mask in self._instants.items():
                block[name] &= mask

    def note(self, moment: Moment, rows: NDArray[np.intp]) -> None:
        """These are about to leave."""
        if len(rows):
            self._kept.append({name: moment.column(name)[rows] for name in (*SEEN, *self.bits)})

    def of_frame(self) -> dict[str, Array]:
        """All who left and for whom some rule held: a column each."""
        if not self._kept:
            return {}
        joined = {name: np.concatenate([block[name] for block in self._kept]) for name in (*SEEN, *self.bits)}
        told = np.zeros(len(joined["id"]), np.bool_)
        for name in self.bits:
            told |= joined[name] != 0
        return {name: column[told] for name, column in joined.items()} if told.any() else {}

    def held(self, moment: Moment, rules: int) -> NDArray[np.int32]:
        """For how many each rule held at its turn, those included who have left: (rules,)."""
        out = np.zeros(rules, np.int32)
        blocks = [{name: moment.column(name) for name in self.bits}, *self._kept]
        counts = {name: np.sum([memory.bit_counts(block[name]) for block in blocks], axis=0) for name in self.bits}
        for ready in self.plan.rules:
            out[ready.index] = counts[turn_column(ready.bit)][ready.bit & 7]
        return out


def bits_of(ready: ReadyRule) -> list[int]:
    return [ready.bit] if ready.other_bit is None else [ready.bit, ready.other_bit]
