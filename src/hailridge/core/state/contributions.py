"""What forces add to the motion of a step, in the smallest shape that says it, and how that is piled up."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

import numpy as np

from hailridge.core.kernels import vectors as kernel
from hailridge.core.state.particles import Array, Rows, named_rows, number_of

Pile = Literal["push", "drag", "air", "square", "plate", "limit"]

PILES: dict[Pile, int] = {"push": 3, "drag": 1, "air": 3, "square": 1, "plate": 4, "limit": 1}
"""What can be added to, and its components (units in `kernels.motion.move`)."""


@dataclass(frozen=True)
class Contribution:
    """What one force adds: `values`, one for all or one for each of its rows, times `factors`, one or (k,).

    To a *plate* its normals (k, 3) and rates are given as (k, 4): the latest normal counts, rates add up. Of several *limits* (m/s) the lowest above
    zero counts.
    """

    pile: Pile
    values: Any
    factors: Any = 1.0


class Piles:
    """The sums of a step for `count` particles: one value for all as long as that says it, else a row for each."""

    def __init__(self, count: int) -> None:
        self.count = count
        self._even: dict[Pile, Array] = {}
        self._each: dict[Pile, Array] = {}

    def __contains__(self, pile: Pile) -> bool:
        return pile in self._even or pile in self._each

    def add(self, given: Contribution, rows: Rows) -> None:
        """Add what a force gives for these rows."""
        values, factors = np.asarray(given.values, np.float32), np.asarray(given.factors, np.float32)
        match given.pile:
            case "plate":
                plate = self.each("plate")
                plate[rows, :3] = values[:, :3]
                plate[rows, 3] += values[:, 3] * factors
            case "limit":
                limit = self.each("limit")
                present = limit[rows]
                wanted = np.broadcast_to(values * factors, present.shape)
                limit[rows] = np.where((wanted > 0) & ((present <= 0) | (wanted < present)), wanted, present)
            case _:
                self._sum(given.pile, rows, values, factors)

    def _sum(self, pile: Pile, rows: Rows, values: Array, factors: Array) -> None:
        width = PILES[pile]
        single = values.ndim == (0 if width == 1 else 1) and factors.ndim == 0
        if single and isinstance(rows, slice) and number_of(rows) == self.count:
            target = self._each.get(pile)
            if target is None:
                target = self._even.setdefault(pile, np.zeros(1 if width == 1 else (1, width), np.float32))
            target += values * factors
        elif width == 1:
            self.each(pile)[rows] += values * factors
        else:
            each, scale = np.ascontiguousarray(np.atleast_2d(values)), np.ascontiguousarray(np.atleast_1d(factors))
            kernel.add_scaled(number_of(rows), self.each(pile), *named_rows(rows), each, scale)

    def each(self, pile: Pile) -> Array:
        """A row for each particle, to be added to: (n,) or (n, width)."""
        known = self._each.get(pile)
        if known is None:
            width = PILES[pile]
            known = np.empty(self.count if width == 1 else (self.count, width), np.float32)
            even = self._even.pop(pile, None)
            if even is None or width == 1:
                known[:] = 0.0 if even is None else even
            else:
                kernel.fill(self.count, known, even)
            self._each[pile] = known
        return known

    def given(self, pile: Pile) -> Array:
        """As `kernels.motion.move` takes it: no row where nobody added anything, one for all, or one for each."""
        width = PILES[pile]
        return self._each.get(pile, self._even.get(pile, np.zeros(0 if width == 1 else (0, width), np.float32)))
