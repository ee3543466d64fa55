"""The short forms of a neighbourhood: others within a distance, and the nearest few, for whoever asks without naming one."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from hailridge.core.scene.around import crowd, grid_of
from hailridge.core.scene.moment import REMOVED, Moment
from hailridge.core.state import surroundings as search
from hailridge.core.state.particles import Rows, as_indices, number_of, taken
from hailridge.core.state.surroundings import Crowd, Sight


def neighbour_counts(moment: Moment, rows: Rows, reach: Any, groups: list[str], touching: bool = False) -> NDArray[np.int32]:
    """How many others of these groups lie within `reach` (m; one for all, or (k,)) of each row: (k,) int32. With `touching`, the radii of both are
    added to the reach."""
    reach = np.asarray(reach, np.float32)
    if reach.ndim:
        return _within(moment, rows, reach, groups, touching)
    reads = ("group", REMOVED, "radius") if touching else ("group", REMOVED)
    key = ("neighbours", float(reach), tuple(groups), touching)
    return moment.each(key, reads, rows, lambda rows: _within(moment, rows, reach, groups, touching))


def _within(moment: Moment, rows: Rows, reach: Any, groups: list[str], touching: bool) -> NDArray[np.int32]:
    radii = moment.column("radius")
    if touching:
        reach = reach + radii[rows]
    targets = crowd(moment, groups, True)
    wider = radii[targets.rows] if touching else None
    sight = Sight(np.atleast_1d(np.asarray(reach, np.float32)))
    grid = grid_of(moment, groups, True, targets, sight.furthest + (0.0 if wider is None else float(wider.max(initial=0.0))))
    return search.look(_those(moment, rows, targets), sight, targets, wider, np.zeros((len(targets), 0), np.float32), grid=grid).counts


def nearest_of(moment: Moment, rows: Rows, reach: float, groups: list[str], most: int) -> tuple[NDArray[np.int64], NDArray[np.float32]]:
    """The `most` nearest others of these groups within `reach` (m) of each row, nearest first: rows (k, most) int64, −1 where there are no
    more, and distances (k, most) m."""
    targets = crowd(moment, groups, True)
    found, apart, _thinned = search.nearest(_those(moment, rows, targets), Sight(np.full(1, reach, np.float32)), targets, None, most)
    return found, apart


def _those(moment: Moment, rows: Rows, targets: Crowd) -> Crowd:
    """Some particles as a crowd; the targets themselves where they are all of these."""
    if number_of(rows) == moment.count == len(targets):
        return targets
    indices = as_indices(rows)
    return Crowd(np.ascontiguousarray(taken(moment.places_before(), indices)), indices, moment.column("parent_id")[indices])
