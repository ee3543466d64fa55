"""Charts of anything that can be read of particles: how it is spread, one against another, over time, and of one particle."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from hailridge.core.kinds.words import words_of
from hailridge.core.looking.observe import distribution
from hailridge.core.looking.tabulating import column_of, rows_for
from hailridge.core.scene.moment import Moment

MOST_POINTS = 3000
"""Particles in a cloud of points; of more a part is shown, evenly taken by their numbers."""

MIDDLE = (10.0, 90.0)
"""Percentiles between which the middle four fifths lie."""

BINS = 40


@dataclass(frozen=True)
class Read:
    """What a text gives for some particles: rows (k,), values (k,) with vectors by their length. `fault` says why there are none."""

    rows: NDArray[np.intp]
    values: NDArray[np.float64]
    fault: str = ""
    vector: bool = False


def read(moment: Moment, text: str, rows: NDArray[np.intp]) -> Read:
    """The values of a formula for some rows, one number each."""
    column = column_of(moment, words_of(moment.scene.effect), text, rows)
    if column.fault:
        return Read(rows[:0], np.zeros(0), column.fault)
    vector = column.values.ndim == 2
    return Read(rows, np.linalg.norm(column.values, axis=1) if vector else column.values, vector=vector)


@dataclass(frozen=True)
class Spread:
    """A histogram by group: edges (b + 1,), counts (g, b); of how many, their mean and median, lowest and highest; `outside` are not drawn: what is
    no number, far off, or not positive where powers of ten are drawn."""

    edges: NDArray[np.float64]
    counts: NDArray[np.int64]
    total: int
    mean: float
    median: float
    low: float
    high: float
    outside: int
    fault: str = ""
    fault_of_where: bool = False
    """Whether it is that of the condition."""


def spread(moment: Moment, text: str, who: list[str], where: str = "", powers: bool = False) -> Spread:
    """How a quantity is spread over those of some groups for whom `where` is true; with `powers`, in bins that are equally wide in powers of ten."""
    groups = max(1, len(moment.scene.group_index))
    nothing = Spread(np.array([0.0, 1.0]), np.zeros((groups, 1), np.int64), 0, 0.0, 0.0, 0.0, 0.0, 0)
    rows, fault = rows_for(moment, who, where)
    found = read(moment, text, rows)
    if fault or found.fault:
        return Spread(**{**vars(nothing), "fault": found.fault or fault, "fault_of_where": not found.fault})
    fine = np.isfinite(found.values) & ((found.values > 0) | (not powers))
    values = found.values[fine]
    if not len(values):
        return Spread(**{**vars(nothing), "outside": len(rows)})
    drawn = np.log10(values) if powers else values
    edges = distribution(drawn, BINS).edges
    members = moment.column("group")[found.rows[fine]]
    counts = np.stack([np.histogram(drawn[members == group], edges)[0] for group in range(groups)])
    return Spread(
        10**edges if powers else edges, counts, len(values), float(values.mean()), float(np.median(values)), float(values.min()),
        float(values.max()), len(rows) - int(counts.sum()),
    )  # fmt: skip


@dataclass(frozen=True)
class Cloud:
    """Points: ids (k,), groups by number (k,), and both values (k,); taken from `of`. The fault of each text."""

    ids: NDArray[np.int64]
    groups: NDArray[np.int64]
    x: NDArray[np.float64]
    y: NDArray[np.float64]
    of: int
    fault: str = ""
    fault_of_y: str = ""
    fault_of_where: bool = False


def cloud(moment: Moment, x: str, y: str, who: list[str], where: str = "", always: int | None = None) -> Cloud:
    """One quantity against another, for those of some groups for whom `where` is true; who is `always` wanted is among the points."""
    none = np.zeros(0)
    rows, fault = rows_for(moment, who, where)
    across, up = read(moment, x, rows), read(moment, y, rows)
    if fault or across.fault or up.fault:
        return Cloud(none.astype(np.int64), none.astype(np.int64), none, none, 0, across.fault or fault, up.fault, bool(fault) and not across.fault)
    fine = np.flatnonzero(np.isfinite(across.values) & np.isfinite(up.values))
    ids = moment.column("id")[rows]
    part = fine
    if len(fine) > MOST_POINTS:
        part = fine[np.linspace(0, len(fine) - 1, MOST_POINTS).astype(np.intp)]
        if always is not None:
            part = np.union1d(part, fine[ids[fine] == always])
    return Cloud(ids[part].astype(np.int64), moment.column("group")[rows[part]].astype(np.int64), across.values[part], up.values[part], len(fine))


@dataclass(frozen=True)
class Middle:
    """A quantity at one frame by group (g,): how many have it, its mean, and between what the middle four fifths lie; no number where nobody is."""

    counts: NDArray[np.int64]
    means: NDArray[np.float64]
    lows: NDArray[np.float64]
    highs: NDArray[np.float64]
    fault: str = ""
    fault_of_where: bool = False


def middle(moment: Moment, text: str, who: list[str], where: str = "") -> Middle:
    """The middle of a quantity in each group, for those for whom `where` is true."""
    groups = max(1, len(moment.scene.group_index))
    counts, nothing = np.zeros(groups, np.int64), np.full(groups, np.nan)
    means, lows, highs = nothing.copy(), nothing.copy(), nothing.copy()
    rows, fault = rows_for(moment, who, where)
    found = read(moment, text, rows)
    if fault or found.fault:
        return Middle(counts, means, lows, highs, found.fault or fault, not found.fault)
    fine = np.isfinite(found.values)
    members, values = moment.column("group")[found.rows[fine]], found.values[fine]
    for group in range(groups):
        mine = values[members == group]
        counts[group] = len(mine)
        if len(mine):
            means[group] = mine.mean()
            lows[group], highs[group] = np.percentile(mine, MIDDLE)
    return Middle(counts, means, lows, highs)
