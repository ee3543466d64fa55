"""Who is around whom: one question with its answers, whatever asks it. `neighbours.Grid` sorts, `kernels.around` looks."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from hailridge.core.kernels import around as kernel
from hailridge.core.kernels import vectors
from hailridge.core.state.neighbours import Candidates, Grid
from hailridge.core.state.particles import Array

NO_VIEW = np.zeros((0, 3), np.float32)
EVEN = np.zeros(1, np.float32)
NO_BOUNDS = (np.zeros(0, np.float32), np.zeros(0, np.int64))

MOST_PAIRS = 2_000_000_000
"""Pairs that are looked at for one answer, a few seconds at most. Where there are more, each seeker looks at every so-manieth only; that is told."""

FIRST_SHARE, WIDENING = 0.5, 1.6
"""How many of those wanted a first cell holds on average, and how much wider it gets for those who have not found enough."""

CROWDED = 512
"""Candidates that a cell may always have: only where more stand together are some passed over."""

KIN = {"any": kernel.ANY, "others": kernel.OTHERS, "siblings": kernel.SIBLINGS}


@dataclass(frozen=True)
class Crowd:
    """Some particles in a search: places (n, 3) float32, what each is called in answers (n,), its parent (n,), −1 for none."""

    places: Array
    rows: NDArray[np.int64]
    parents: NDArray[np.int32]

    def __len__(self) -> int:
        return len(self.rows)

    def at(self, chosen: NDArray[Any]) -> Crowd:
        return Crowd(self.places.take(chosen, axis=0), self.rows[chosen], self.parents[chosen])


@dataclass(frozen=True)
class Sight:
    """How seekers look: how far (m; (n,), or (1,) for all), which way (n, 3) unit vectors, zero for who sees all round, or (0, 3); the cosine of half
    the angle of view; which kin (`KIN`). Whoever has a reach below zero, or one that is no number, finds nobody."""

    reach: Array
    headings: Array = field(default_factory=lambda: NO_VIEW)
    view: float = -1.0
    kin: int = kernel.ANY

    def at(self, chosen: NDArray[Any]) -> Sight:
        reach = self.reach if len(self.reach) == 1 else self.reach[chosen]
        return Sight(reach, self.headings.take(chosen, axis=0) if len(self.headings) else self.headings, self.view, self.kin)

    @property
    def plain(self) -> bool:
        return not len(self.headings) and self.kin == kernel.ANY

    @property
    def furthest(self) -> float:
        return max(float(self.reach.max(initial=0.0)), 0.0)


@dataclass
class Found:
    """What a pass found for each seeker: counts (n,), mean ways to those found (n, 3) m, means (n, w), the furthest: row (n,), −1 for none, and
    distance (n,) m; ways out of the crowd (n, 3): directions away from those found, each by how near it is, 0 at the reach.

    `thinned`: how many stood for one that was looked at, where too many stood together; else 1.
    """

    counts: NDArray[np.int32]
    ways: Array
    means: Array
    furthest_rows: NDArray[np.int64]
    furthest: Array
    aways: Array
    thinned: int = 1


def look(
    seekers: Crowd, sight: Sight, targets: Crowd, wider: Array | None, values: Array, ways: bool = False, furthest: bool = False, aways: bool = False,
    grid: Grid | None = None, before: tuple[Array, NDArray[np.int64]] | None = None,
) -> Found:  # fmt: skip
    """All of a question in one pass: how many each seeker finds, and of those the means of `values` (t, w); where that is wanted, the mean way,
    the furthest, the way out.

    `wider` (t,) is added to every reach, target by target. `grid` is one over the targets with a cell that is wide enough, if there is one. With
    `before`, squares of distances (n,) m² and rows (n,), only those are found who come before these in order of distance and row.
    """
    number, width = len(seekers), values.shape[1]
    found = Found(
        np.zeros(number, np.int32), np.zeros((number if ways else 0, 3), np.float32), np.zeros((number, width), np.float32),
        np.full(number if furthest else 0, -1, np.int64), np.zeros(number if furthest else 0, np.float32),
        np.zeros((number if aways else 0, 3), np.float32),
    )  # fmt: skip
    if number == 0 or len(targets) == 0:
        return found
    more = 0.0 if wider is None else float(wider.max(initial=0.0))
    grid = grid or Grid(targets.places, sight.furthest + more)
    around = grid.candidates(seekers.places, seekers is targets)
    thin, found.thinned = _thinned(around)
    if sight.plain and not (ways or furthest or aways or width or before) and found.thinned == 1:
        far = np.maximum(sight.reach, 0)
        found.counts = grid.count_among(around, seekers.places, far, wider, _own_places(seekers, targets))
        found.counts[sight.reach < 0 if len(sight.reach) > 1 or sight.reach[0] < 0 else slice(0, 0)] = 0
        return found
    order = grid.order
    squares = np.zeros(len(found.furthest), np.float32)
    kernel.around(
        len(around.starts), around.starts, around.lengths, around.cells, thin, around.seekers, seekers.places, sight.reach, seekers.rows,
        sight.headings, np.float32(sight.view), sight.kin, seekers.parents, grid.places, _ordered(wider, order), targets.rows[order],
        targets.parents[order],
        np.ascontiguousarray(values.take(order, axis=0)) if width else np.zeros((1, 0), np.float32), *(before or NO_BOUNDS), found.counts,
        found.ways, found.means, squares, found.furthest_rows, found.aways, work=number,
    )  # fmt: skip
    found.furthest = np.sqrt(np.maximum(squares, 0))
    return found


def nearest(
    seekers: Crowd, sight: Sight, targets: Crowd, wider: Array | None, most: int
) -> tuple[NDArray[np.int64], NDArray[np.float32], int]:  # fmt: skip
    """The `most` nearest targets of each seeker, nearest first, of two equally near the one with the lower row: rows (n, most) int64, −1 where there
    are no more, distances (n, most) m, infinite there, and how many stood for one that was looked at (`Found.thinned`).

    Where few are near enough, or the reach is long, it is looked ever further out for those who have not found enough yet.
    """
    number, thinned = len(seekers), 1
    if not number or not len(targets):
        return np.full((number, most), -1, np.int64), np.full((number, most), np.inf, np.float32), thinned
    out, squares = np.empty((number, most), np.int64), np.empty((number, most), np.float32)
    more = 0.0 if wider is None else float(wider.max(initial=0.0))
    waiting: NDArray[np.intp] | None = None
    for grid, last in _grids(seekers, targets, sight.furthest + more, most):
        some, looks = (seekers, sight) if waiting is None else (seekers.at(waiting), sight.at(waiting))
        around = grid.candidates(some.places, some is targets)
        thin, factor = _thinned(around)
        thinned = max(thinned, factor)
        rows, apart = np.empty((len(some), most), np.int64), np.empty((len(some), most), np.float32)
        order = grid.order
        # In order of cells: whoever is looked from next lies in memory beside the one before.
        those, seen = some.at(around.seekers), looks.at(around.seekers)
        kernel.nearest_in_view(
            len(around.starts), around.starts, around.lengths, around.cells, thin, around.seekers, those.places, seen.reach, those.rows,
            seen.headings, np.float32(seen.view), seen.kin, those.parents, grid.places, _ordered(wider, order), targets.rows[order],
            targets.parents[order], rows, apart, work=len(some),
        )  # fmt: skip
        if waiting is None:
            out, squares = rows, apart
        else:
            out[waiting], squares[waiting] = rows, apart
        if last:
            break
        # Who has found enough within what was surely looked at, or has looked as far as it can, is done.
        surely = grid.surely(some.places)
        lacking = (apart[:, -1] > surely * surely) & (looks.reach + np.float32(more) > surely)
        waiting = np.flatnonzero(lacking) if waiting is None else waiting[lacking]
        if not len(waiting):
            break
    return out, np.sqrt(squares, out=squares), thinned


def of_list(
    seekers: Crowd, sight: Sight, targets: Crowd, wider: Array | None, rows: NDArray[np.int64], distances: Array, values: Array,
    ways: bool, aways: bool,
) -> Found:  # fmt: skip
    """What `look` tells, of those in a list: rows (n, k) among the targets, −1 where there are no more, with distances (n, k) m."""
    number, width = len(seekers), values.shape[1]
    none = np.zeros(0, np.float32)
    found = Found(
        np.zeros(number, np.int32), np.zeros((number if ways else 0, 3), np.float32), np.zeros((number, width), np.float32),
        np.zeros(0, np.int64), none, np.zeros((number if aways else 0, 3), np.float32),
    )  # fmt: skip
    if number and len(targets):
        kernel.of_list(
            number, rows, np.ascontiguousarray(distances), seekers.places, sight.reach, seekers.rows, targets.places,
            EVEN if wider is None else wider, targets.rows,
            np.ascontiguousarray(values) if width else np.zeros((1, 0), np.float32), found.counts, found.ways, found.means, found.aways,
        )  # fmt: skip
    return found


def lookers(
    seekers: Crowd, sight: Sight, targets: Crowd, wider: Array | None
) -> tuple[NDArray[np.int32], NDArray[np.int64], NDArray[np.float32]]:  # fmt: skip
    """The question from the other side: how many seekers find each target (t,), the row of the nearest of them (t,), −1 for none, and how far away
    that is, squared (t,) m². Of two equally near it is the one with the lower row."""
    number = len(targets)
    counts, claimants, squares = np.zeros(number, np.int32), np.full(number, -1, np.int64), np.full(number, np.inf, np.float32)
    if number and len(seekers):
        more = 0.0 if wider is None else float(wider.max(initial=0.0))
        grid = Grid(seekers.places, sight.furthest + more)
        around, order = grid.candidates(targets.places), grid.order
        thin, _factor = _thinned(around)
        looks = Sight(np.broadcast_to(sight.reach, (len(seekers),)), sight.headings).at(order)
        kernel.looked_at(
            len(around.starts), around.starts, around.lengths, around.cells, thin, around.seekers, targets.places, EVEN if wider is None else wider,
            targets.rows, targets.parents, grid.places, np.ascontiguousarray(looks.reach), seekers.rows[order], seekers.parents[order],
            looks.headings, np.float32(sight.view), sight.kin, counts, claimants, squares, work=number,
        )  # fmt: skip
    return counts, claimants, squares


def _grids(seekers: Crowd, targets: Crowd, furthest: float, most: int) -> Iterator[tuple[Grid, bool]]:
    """Grids with ever wider cells to look for the nearest in, and whether each is the last: at first such that those around a target are a few times
    as many as are wanted."""
    low, high = vectors.bounds(targets.places)
    first, last = (low, high) if seekers is targets else vectors.bounds(seekers.places)
    spans = np.sort(np.maximum(high - low, 1e-6))[::-1]
    # Flat and thin clouds are spread over fewer dimensions.
    dimensions = 1 + int(spans[1] > spans[0] * 1e-3) + int(spans[2] > spans[0] * 1e-3)
    room = float(np.prod(spans[:dimensions]))
    cell = (room * max(most, 4) * FIRST_SHARE / len(targets)) ** (1 / dimensions)
    limit = float(np.linalg.norm(np.maximum(high, last) - np.minimum(low, first))) * 1.01 + 1e-3
    widest = min(furthest, limit)
    grid = Grid(targets.places, min(cell, widest))
    for _finer in range(6):
        # In a clustered cloud most stand closer together than on average.
        if grid.crowding() <= 4 * max(most, 4):
            break
        grid = Grid(targets.places, grid.cell / 2)
    while True:
        enough = grid.cell >= widest
        yield grid, enough
        if enough:
            return
        grid = Grid(targets.places, min(grid.cell * WIDENING, widest))


def _thinned(around: Candidates) -> tuple[NDArray[np.int64], int]:
    """Of how many candidates each cell looks at one, and the largest of these."""
    each = around.lengths.sum(axis=1)
    pairs = int((each * np.diff(around.cells)).sum())
    if pairs <= MOST_PAIRS:
        return np.ones(len(each), np.int64), 1
    factor = -(-pairs // MOST_PAIRS)
    return np.where(each > CROWDED, factor, 1).astype(np.int64), int(factor)


def _ordered(wider: Array | None, order: NDArray[np.intp]) -> Array:
    return EVEN if wider is None else np.ascontiguousarray(wider[order], np.float32)


def _own_places(seekers: Crowd, targets: Crowd) -> NDArray[np.int64]:
    """For each seeker 0 or more if it is a target itself, else −1: (n,)."""
    if seekers.rows is targets.rows:
        return seekers.rows
    at = np.searchsorted(targets.rows, seekers.rows).clip(0, max(0, len(targets) - 1))
    return np.where(targets.rows[at] == seekers.rows, seekers.rows, -1)
