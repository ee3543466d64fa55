"""Looking for neighbours: a grid as coarse as the search radius, with particles in the order of its cells."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from hailridge.core.kernels import neighbours as kernel
from hailridge.core.kernels import vectors
from hailridge.core.state.particles import Array

MOST_CELLS = 2_000_000
"""Along an axis. Whatever lies further out than that many cells counts as lying at the edge; strays are that far."""


AROUND = sorted(((dx, dy) for dx in (-1, 0, 1) for dy in (-1, 0, 1)), key=lambda step: abs(step[0]) + abs(step[1]))
"""Steps along x and y from a cell to those around it."""


def beginnings(keys: NDArray[np.int64]) -> NDArray[np.intp]:
    """Where each of the runs of equal keys (n,) begins: (r,)."""
    return np.flatnonzero(np.concatenate([[True], keys[1:] != keys[:-1]]))


@dataclass(frozen=True)
class Candidates:
    """Seekers in the order of their cells (s,), where each cell's begin (c + 1,), and the runs of targets around each: starts and lengths (c, 9)."""

    seekers: NDArray[np.intp]
    cells: NDArray[np.intp]
    starts: NDArray[np.int64]
    lengths: NDArray[np.int64]


class Grid:
    """Places (n, 3) float32 sorted into cubes of width `cell` (m), to count those near other places.

    Parameters
    ----------
    places : (n, 3) float32
        The targets. Not finite ones are never found.
    cell : float
        At least the largest reach that will be asked for.
    """

    def __init__(self, places: Array, cell: float) -> None:
        self.cell = max(float(cell), 1e-6)
        self.origin, high = vectors.bounds(np.ascontiguousarray(places, np.float32))
        self.sizes = np.minimum(np.floor((high - self.origin) / self.cell) + 1, MOST_CELLS).astype(np.int64)
        keys = self._keys(places)
        self.order: NDArray[np.intp] = kernel.sorted_order(keys)
        self.keys = keys[self.order]
        begins = beginnings(self.keys) if len(places) else np.zeros(0, np.intp)
        self.taken = self.keys[begins]
        """Keys of the cells in which there are targets (c,), ascending."""
        self.firsts = np.append(begins, len(self.keys))
        """Where the targets of each of these begin (c + 1,)."""
        self.places = np.ascontiguousarray(places.take(self.order, axis=0), np.float32)

    def _keys(self, places: Array) -> NDArray[np.int64]:
        out = np.empty(len(places), np.int64)
        kernel.keys_of(len(places), np.ascontiguousarray(places, np.float32), self.origin, self.cell, self.sizes, out)
        return out

    def count(
        self, places: Array, reach: Array, extra: Array | None = None, own: Array | None = None, themselves: bool = False
    ) -> NDArray[np.int32]:
        """How many targets are within `reach` (m; one for all, or one for each place) of each place (k, 3): (k,) int32.

        `extra` (n,) is added to the reach target by target (their radii, to count who touches). `own` (k,) marks with 0 or more the places that
        are targets themselves, which do not count themselves. `themselves` says that the places are the targets, all of them in their order.
        """
        if len(places) == 0 or len(self.keys) == 0:
            return np.zeros(len(places), np.int32)
        return self.count_among(self.candidates(places, themselves), places, reach, extra, own)

    def count_among(self, around: Candidates, places: Array, reach: Any, extra: Array | None, own: Array | None) -> NDArray[np.int32]:
        """As `count`, among candidates that are known already."""
        number, order = len(places), around.seekers
        far = np.atleast_1d(np.asarray(reach, np.float32))
        # In order of cells: whoever is looked from next lies in memory beside the one before.
        seeking = self.places if order is self.order else np.ascontiguousarray(places, np.float32).take(order, axis=0)
        found, out = np.empty(number, np.int32), np.empty(number, np.int32)
        kernel.count(
            len(around.starts), around.starts, around.lengths, around.cells, seeking, far[order] if len(far) > 1 else far, self.places,
            np.zeros(1, np.float32) if extra is None else np.ascontiguousarray(extra[self.order], np.float32), found, work=number,
        )  # fmt: skip
        out[order] = found
        if own is not None:
            out -= np.asarray(own) >= 0
        return out

    def candidates(self, places: Array, themselves: bool = False) -> Candidates:
        """Those who may be within a cell's width of each place (k, 3); `themselves`: the places are the targets, all of them in their order."""
        if themselves:
            seekers, present, firsts = self.order, self.taken, self.firsts
        else:
            keys = self._keys(places)
            seekers = kernel.sorted_order(keys)
            sorted_keys = keys[seekers]
            begins = beginnings(sorted_keys)
            present, firsts = sorted_keys[begins], np.append(begins, len(places))
        # The nearest first, so that whoever looks for the nearest few soon knows how near is near enough.
        starts, lengths = self.runs(present, AROUND)
        return Candidates(seekers, firsts, starts, lengths)

    @property
    def slab(self) -> int:
        """How far apart the keys of two cells are that lie side by side along x."""
        return int((self.sizes[2] + 6) * (self.sizes[1] + 6))

    def runs(self, present: NDArray[np.int64], steps: list[tuple[int, int]]) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
        """The runs of targets around cells, by their ascending keys (c,): starts and lengths (c, s), for each of the steps along x and y.

        Cells one above another lie side by side in the order of keys: each run takes in three, and nine are all 27 cells around.
        """
        offsets = np.array([dx * self.slab + dy * (self.sizes[2] + 6) - 1 for dx, dy in steps], np.int64)
        starts, lengths = (np.empty((len(present), len(steps)), np.int64) for _ in range(2))
        kernel.runs(len(steps), self.taken, self.firsts, present, offsets, starts, lengths, work=len(present) + len(self.taken))
        return starts, lengths

    def surely(self, places: Array) -> NDArray[np.float32]:
        """How far around each place (k, 3) every target is among its candidates: (k,) m; a cell, and what lies between it and the wall of its own."""
        out = np.empty(len(places), np.float32)
        kernel.surely(len(places), np.ascontiguousarray(places, np.float32), self.origin, self.cell, out)
        return out

    def crowding(self) -> float:
        """How many targets there are in a target's own cell, on average over the targets."""
        if len(self.keys) == 0:
            return 0.0
        each = np.diff(self.firsts)
        return float((each.astype(np.float64) ** 2).sum() / len(self.keys))
