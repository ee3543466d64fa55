"""Looking for neighbours: a grid as coarse as the search radius, with particles in the order of its cells."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from hailridge.core.kernels import neighbours as kernel
from hailridge.core.particles import Array

MOST_CELLS = 2_000_000
"""Along an axis. Whatever lies further out than that many cells counts as lying at the edge; strays are that far."""

_STRIDE = np.int64(MOST_CELLS + 8)


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
        self.origin = np.min(places, axis=0).astype(np.float64) if len(places) else np.zeros(3)
        keys = self._keys(places)
        self.order: NDArray[np.intp] = np.argsort(keys, kind="stable")
        self.keys = keys[self.order]
        self.places = np.ascontiguousarray(places[self.order], np.float32)

    def _keys(self, places: Array) -> NDArray[np.int64]:
        cells = np.floor((places - self.origin) / self.cell)
        cells = np.clip(np.nan_to_num(cells, nan=-3.0), -3, MOST_CELLS).astype(np.int64) + 3
        return np.asarray((cells[:, 0] * _STRIDE + cells[:, 1]) * _STRIDE + cells[:, 2])

    def count(self, places: Array, reach: Array, extra: Array | None = None, own: Array | None = None) -> NDArray[np.int32]:
        """How many targets are within `reach` (m; one for all, or one for each place) of each place (k, 3): (k,) int32.

        `extra` (n,) is added to the reach target by target (their radii, to count who touches). `own` (k,) marks with 0 or more the places that
        are targets themselves, which do not count themselves.
        """
        number = len(places)
        out = np.zeros(number, np.int32)
        if number == 0 or len(self.keys) == 0:
            return out
        keys = self._keys(places)
        seekers = np.argsort(keys, kind="stable")
        sorted_keys = keys[seekers]
        firsts = np.flatnonzero(np.concatenate([[True], sorted_keys[1:] != sorted_keys[:-1]]))
        present = sorted_keys[firsts]
        # Cells one above another lie side by side in the order of keys: nine runs are all 27 cells around.
        around = np.array([dx * _STRIDE * _STRIDE + dy * _STRIDE - 1 for dx in (-1, 0, 1) for dy in (-1, 0, 1)], np.int64)
        wanted = (present[:, None] + around).ravel()
        lengths = np.empty(len(wanted), np.int64)
        starts = kernel.starts_of(self.keys, lengths, wanted)
        kernel.count(
            number, starts.reshape(-1, 9), lengths.reshape(-1, 9), np.append(firsts, number), seekers, np.ascontiguousarray(places, np.float32),
            np.atleast_1d(np.asarray(reach, np.float32)), self.places,
            np.zeros(1, np.float32) if extra is None else np.ascontiguousarray(extra[self.order], np.float32),
            np.full(number, -1, np.int64) if own is None else np.asarray(own, np.int64), out,
        )  # fmt: skip
        return out


class Neighbours:
    """Grids over the particles of a moment, kept as long as nobody changes place or group."""

    def __init__(self) -> None:
        self._grids: dict[Any, tuple[Any, Grid, NDArray[np.intp]]] = {}

    def among(self, stamp: Any, key: Any, cell: float, places: Array, marked: NDArray[np.bool_] | None) -> tuple[Grid, NDArray[np.intp]]:
        """The grid over the particles that are `marked` (n,), and their rows. `stamp` says which state of the particles this is, `key` which
        particles are meant."""
        known = self._grids.get((key, cell))
        if known is None or known[0] != stamp:
            rows = np.arange(len(places)) if marked is None else np.flatnonzero(marked)
            known = (stamp, Grid(places if marked is None else places[rows], cell), rows)
            self._grids[(key, cell)] = known
            while len(self._grids) > 8:
                self._grids.pop(next(iter(self._grids)))
        return known[1], known[2]
