"""What the parts of a source are told: the time in which to give birth, and the newborns at their places."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

Points = NDArray[np.float32]


@dataclass(frozen=True)
class Span:
    """The time of a step, (start, end] in seconds, or [start, end] when it is the `first`.

    `beginning` is when the effect begins, before 0 with a pre-roll; `last` when it ends; `places` counts the places that a source's
    placement has, None where they cannot be counted.
    """

    start: float
    end: float
    first: bool
    beginning: float
    last: float
    places: Callable[[], int | None]
    most: int = 50_000_000
    """Births that are asked for at most: one more than there can be."""

    def since(self, time: float) -> float:
        """A time of the document as one of the effect: 0 means the beginning."""
        return self.beginning if time == 0.0 else time

    def due(self, times: NDArray[np.float64]) -> NDArray[np.bool_]:
        """Which times fall into this step."""
        inside = (times > self.start) & (times <= self.end)
        return inside | (times == self.start) if self.first else inside


@dataclass
class Birth:
    """Newborns at their places in the world: normals and places (k, 3) float32, lineage keys (k,), ordinals (k,)."""

    rows: slice
    places: Points
    normals: Points
    keys: NDArray[np.uint64]
    ordinals: NDArray[np.int64]
    shape: Any
