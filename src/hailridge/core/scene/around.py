"""Neighbourhoods of a moment: each is asked at most once for a state of the groups, in one pass for everything that anything reads of it.

Places are those at the start of the part of the step, groups the present ones; whoever has been removed is not found.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from hailridge.core.kernels import steering
from hailridge.core.scene.buffers import SearchTally
from hailridge.core.scene.moment import REMOVED, Moment
from hailridge.core.state import surroundings as search
from hailridge.core.state.neighbours import Grid
from hailridge.core.state.particles import Array, lengths
from hailridge.core.state.surroundings import Crowd, Sight
from hailridge.model.neighbourhoods import Neighbourhood

WAYS, FURTHEST, AWAYS, LIST, MEAN = "ways", "furthest", "aways", "list", "mean"
"""What can be asked of a neighbourhood besides how many: the mean way to those found, the furthest, the way out of the crowd, the nearest so many
("list 3"), the mean of an attribute ("mean radius")."""

def one(which: str) -> str:
    """What is asked to know one of those found: the furthest, or else the nearest."""
    return FURTHEST if which == "furthest" else f"{LIST} 1"


STANDING = np.float32(1e-6)
"""Speeds (m/s) up to which there is no way to look along: whoever stands sees all round."""

BEYOND = np.float32(1.001)
"""Whoever finds nobody reads distances just beyond its reach."""


@dataclass
class Around:
    """The answers of a neighbourhood for everyone: n particles, those who do not look among them, who find nobody.

    counts (n,); reach (n,) m; of what was asked for: rows (n, k) of the nearest, nearest first, −1 where there are no more, with distances (n, k)
    m; furthest_rows (n,), furthest (n,) m; ways (n, 3) m from the seeker to the mean place of those found, aways
    (n, 3) directions away from them, each by how near it is; means by attribute, (n,) or (n, 3).
    """

    has: frozenset[str]
    seekers: NDArray[np.intp]
    targets: NDArray[np.intp]
    reach: Array
    counts: NDArray[np.int32]
    rows: NDArray[np.int64]
    distances: NDArray[np.float32]
    furthest_rows: NDArray[np.int64]
    furthest: Array
    ways: Array
    aways: Array
    means: dict[str, Array] = field(default_factory=dict)
    thinned: int = 1


def around(moment: Moment, name: str, *wanted: str) -> Around:
    """The answers of a neighbourhood, by its id, with at least what is `wanted`."""
    hood = moment.scene.neighbourhoods.get(name)
    planned = moment.scene.plan.asked_around.get(name, frozenset())
    asked = planned if planned.issuperset(wanted) else planned | set(wanted)
    columns = {_column(moment, attribute) for attribute in _means(asked)}
    reads = ("group", REMOVED, *sorted(columns))

    if hood is None:
        # One that is left out finds nobody.
        return _nobody(moment, asked)

    def compute(_before: Any) -> Around:
        begun = moment.costs.begin()
        found = _answer(moment, hood, asked)
        moment.costs.end(hood.address, begun)
        _note(moment, hood, found)
        if found.thinned > 1:
            text = (
                f"so many stand within reach of one another that only every {found.thinned}th was looked at; "
                "a shorter reach, or the nearest few, gives exact results"
            )
            moment.find("warning", hood.address or None, text, key="neighbourhood thinned")
        return found

    found: Around = moment.answers.asked(("around", name, asked), reads, compute, (moment.count, moment.time))
    return found


def _note(moment: Moment, hood: Neighbourhood, found: Around) -> None:
    """Keep account of how a neighbourhood does."""
    tally = moment.searches.setdefault(hood.id, SearchTally())
    others = len(found.targets) - 1
    if len(found.seekers) and others > 0:
        counts = found.counts[found.seekers]
        tally.asked += 1
        tally.finding += int(np.count_nonzero(counts))
        tally.share += float(counts.mean()) / others
        tally.most = max(tally.most, others)


def _column(moment: Moment, attribute: str) -> str:
    return "velocity" if attribute == "speed" else moment.scene.table[attribute].column


def _means(asked: Iterable[str]) -> list[str]:
    return sorted(one.removeprefix(MEAN).strip() for one in asked if one.startswith(MEAN))


def _longest(asked: Iterable[str]) -> int:
    return max((int(one.split()[1]) for one in asked if one.startswith(LIST)), default=0)


def _answer(moment: Moment, hood: Neighbourhood, asked: frozenset[str]) -> Around:
    number = moment.count
    seekers = crowd(moment, hood.who, True)
    targets = crowd(moment, hood.among, hood.nested)
    if not len(seekers):
        return _nobody(moment, asked)
    sight, wider, reach = sight_of(moment, hood, seekers, targets)
    means = _means(asked)
    values = _values(moment, means, targets.rows)
    most = hood.listed or _longest(asked)
    everyone = len(seekers) == number
    ways, far, aways = WAYS in asked, FURTHEST in asked, AWAYS in asked
    if hood.listed:
        rows, distances, thinned = _listed(moment, hood, seekers, sight, targets, wider)
        found = _of_list(moment, seekers, sight, targets, wider, rows, distances, values, ways, far, aways)
        found.thinned = thinned
    else:
        grid = grid_of(moment, hood.among, hood.nested, targets, sight.furthest + (0.0 if wider is None else float(wider.max(initial=0.0))))
        found = search.look(seekers, sight, targets, wider, values, ways, far, aways, grid)
        rows, distances = np.zeros((len(seekers), 0), np.int64), np.zeros((len(seekers), 0), np.float32)
        if most:
            rows, distances, _thinned = search.nearest(seekers, sight, targets, wider, most)

    def spread(values: Array, empty: Any) -> Array:
        """Values of seekers (s, …) for everyone (n, …)."""
        if everyone or not len(values):
            return values
        out = np.full((number, *values.shape[1:]), empty, values.dtype)
        out[seekers.rows] = values
        return out

    answers = Around(
        asked, seekers.rows, targets.rows, spread(np.broadcast_to(reach, (len(seekers),)), 0.0), spread(found.counts, 0), spread(rows, -1),
        spread(distances, np.inf), spread(found.furthest_rows, -1), spread(found.furthest, 0.0), spread(found.ways, 0.0),
        spread(found.aways, 0.0), thinned=found.thinned,
    )  # fmt: skip
    at = 0
    for attribute in means:
        width = moment.scene.table[attribute].width
        mean = spread(found.means[:, at : at + width], 0.0)
        at += width
        # Whoever finds nobody reads its own.
        own = moment.read_attribute(attribute, moment.everyone())
        found_any = answers.counts > 0
        answers.means[attribute] = np.where(found_any, mean[:, 0], own) if own.ndim == 1 else np.where(found_any[:, None], mean, own)
    return answers


def _nobody(moment: Moment, asked: frozenset[str]) -> Around:
    """The answers where nobody looks."""
    number, none, most = moment.count, np.zeros(0, np.intp), max(1, _longest(asked))
    own = {name: moment.read_attribute(name, moment.everyone()) for name in _means(asked)}
    return Around(
        asked, none, none, np.zeros(number, np.float32), np.zeros(number, np.int32), np.full((number, most), -1, np.int64),
        np.full((number, most), np.inf, np.float32), np.full(number, -1, np.int64), np.zeros(number, np.float32),
        np.zeros((number, 3), np.float32), np.zeros((number, 3), np.float32), own,
    )  # fmt: skip


def crowd(moment: Moment, groups: list[str], nested: bool) -> Crowd:
    """Those of these groups who can be found now."""

    def build(_before: Any) -> Crowd:
        members = moment.scene.members(groups) if nested else moment.scene.members_alone(groups)
        marked = None if members.all() else members[moment.column("group")]
        if moment.any_doomed and len(moment.doomed) == moment.count:
            marked = ~moment.doomed if marked is None else marked & ~moment.doomed
        places, parents = moment.places_before(), moment.column("parent_id")
        if marked is None:
            return Crowd(np.ascontiguousarray(places), np.arange(len(places)), parents.copy())
        rows = np.flatnonzero(marked)
        return Crowd(places.take(rows, axis=0), rows, parents[rows])

    found: Crowd = moment.answers.asked(("crowd", tuple(groups), nested), ("group", REMOVED), build, moment.count)
    return found


def grid_of(moment: Moment, groups: list[str], nested: bool, targets: Crowd, cell: float) -> Grid:
    """The grid over those of these groups, kept for whoever looks as far."""
    key = ("grid", tuple(groups), nested, cell)
    found: Grid = moment.answers.asked(key, ("group", REMOVED), lambda _before: Grid(targets.places, cell), moment.count)
    return found


def sight_of(moment: Moment, hood: Neighbourhood, seekers: Crowd, targets: Crowd) -> tuple[Sight, Array | None, Array]:
    """How the seekers look, what is added to every reach target by target, and how far they look without that: () or (s,) m."""
    reach = np.asarray(hood.reach.give(moment, seekers.rows), np.float32)
    reach = np.where(np.isfinite(reach), np.clip(reach, -1, 1e5), np.float32(-1)).astype(np.float32)
    wider, far = None, np.atleast_1d(reach)
    if hood.edges:
        radii = moment.column("radius")
        wider = radii[targets.rows]
        far = np.where(far >= 0, far + radii[seekers.rows], far).astype(np.float32)
    headings, view = search.NO_VIEW, -1.0
    if hood.angle < 360:
        velocity = np.ascontiguousarray(moment.read("velocity", seekers.rows))
        headings = np.empty_like(velocity)
        steering.directions(len(velocity), velocity, STANDING, headings)
        view = float(np.cos(np.radians(hood.angle / 2)))
    return Sight(np.ascontiguousarray(far), headings, view, search.KIN[hood.kin]), wider, reach


def _values(moment: Moment, attributes: list[str], rows: NDArray[Any]) -> Array:
    """The attributes to be averaged, side by side: (t, w) float32."""
    if not attributes:
        return np.zeros((len(rows), 0), np.float32)
    columns = [moment.read_attribute(attribute, rows) for attribute in attributes]
    wide = [column[:, None] if column.ndim == 1 else column for column in columns]
    return np.concatenate(wide, axis=1).astype(np.float32)


def _listed(
    moment: Moment, hood: Neighbourhood, seekers: Crowd, sight: Sight, targets: Crowd, wider: Array | None
) -> tuple[NDArray[np.int64], NDArray[np.float32], int]:  # fmt: skip
    """The nearest few of each seeker; the one that it keeps to, where it can still be found."""
    rows, distances, thinned = search.nearest(seekers, sight, targets, wider, hood.listed)
    if hood.keeping and moment.particles.has(hood.chosen) and len(targets):
        chosen, ids = moment.read(hood.chosen, seekers.rows), moment.column("id")[targets.rows]
        at = np.searchsorted(ids, chosen).clip(0, len(ids) - 1)
        apart = lengths(targets.places[at] - seekers.places)
        far = sight.reach + (0 if wider is None else wider[at])
        kept = (chosen >= 0) & (ids[at] == chosen) & (apart <= far)
        rows[kept, 0], distances[kept, 0] = targets.rows[at[kept]], apart[kept]
    return rows, distances, thinned


def _of_list(
    moment: Moment, seekers: Crowd, sight: Sight, targets: Crowd, wider: Array | None, rows: NDArray[np.int64], distances: Array, values: Array,
    ways: bool, far: bool, aways: bool,
) -> search.Found:  # fmt: skip
    """What can be told of the nearest few as of all."""
    places = rows
    if len(targets) < moment.count:
        place_of = np.full(moment.count + 1, -1, np.int64)
        place_of[targets.rows] = np.arange(len(targets))
        places = place_of[rows]
    found = search.of_list(seekers, sight, targets, wider, places, distances, values, ways, aways)
    if far:
        last, each = np.maximum(found.counts - 1, 0), np.arange(len(seekers))
        found.furthest_rows = rows[each, last]
        found.furthest = np.where(found.counts > 0, distances[each, last], 0).astype(np.float32)
    return found


def choose(moment: Moment) -> None:
    """Told by the engine before rules change anything: those that keep to the one chosen remember it."""
    for hood in moment.scene.plan.keeping:
        answers = around(moment, hood.id)
        ids = moment.column("id")
        found = answers.rows[:, 0] if answers.rows.shape[1] else np.full(moment.count, -1)
        moment.column(hood.chosen)[:] = np.where(found >= 0, ids[np.maximum(found, 0)], -1)
