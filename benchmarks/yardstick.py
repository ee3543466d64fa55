"""How fast this machine is at the moment: a fixed piece of plain NumPy and one of SciPy, against the machine for which goals in time are stated."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.spatial import cKDTree

from benchmarks.figures import timed

REFERENCE_NUMPY = 0.0192
"""Seconds that the NumPy workload takes on the machine for which goals are stated: two idle cores of 2.5 GHz."""

REFERENCE_SCIPY = 0.0419
"""Seconds of the SciPy workload on the same machine; both as measured on 2026-11-26 with nothing else running."""


@dataclass
class Yardstick:
    """Seconds of both workloads now."""

    numpy: float
    scipy: float

    @property
    def slowness(self) -> float:
        """How much longer than on the reference machine things take (geometric mean): what goals in time are multiplied by."""
        return float(np.sqrt(self.numpy / REFERENCE_NUMPY * self.scipy / REFERENCE_SCIPY))


def measured(times: int = 7) -> Yardstick:
    """The yardstick now: medians of several runs after one that is not counted."""
    return Yardstick(timed(_plain, times), timed(_spatial, times))


_RANDOM = np.random.default_rng(20261126)
_VALUES = _RANDOM.random((400_000, 3), np.float32)
_PLACES = _RANDOM.random((40_000, 3))


def _plain() -> None:
    """Sums, products, a square root and a sort over arrays that do not fit the nearest cache."""
    lengths = np.sqrt((_VALUES * _VALUES).sum(axis=1))
    order = np.argsort(lengths[:100_000], kind="stable")
    np.exp(-lengths[order]).cumsum()


def _spatial() -> None:
    """A tree over places, asked for the eight nearest of a part of them."""
    tree = cKDTree(_PLACES)
    tree.query(_PLACES[:10_000], k=8)
