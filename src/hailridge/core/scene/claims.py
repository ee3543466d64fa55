"""A neighbourhood asked from the other side: who finds each particle, and to which seeker it belongs."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from hailridge.core.scene.around import Around, around, crowd, one, sight_of
from hailridge.core.scene.moment import REMOVED, Moment
from hailridge.core.state import surroundings as search
from hailridge.core.state.particles import Array, Rows, as_indices


def claimed(moment: Moment, name: str, acting: Rows, which: str) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Whom the seekers among the `acting` rows have found, each with the one seeker that it belongs to: rows of those found, ascending, and
    of the seekers, (m,) each.

    `which`: all, the nearest or the furthest that each finds. Where several seekers claim one, it is the nearest of them, then the one with the
    lower number.
    """
    hood, nobody = moment.scene.neighbourhoods.get(name), np.zeros(0, np.int64)
    if hood is None:
        return nobody, nobody
    if which == "all" and not hood.listed:
        looking = np.zeros(moment.count, np.bool_)
        looking[acting] = True
        everyone, targets = crowd(moment, hood.who, True), crowd(moment, hood.among, hood.nested)
        chosen = np.flatnonzero(looking[everyone.rows])
        if not len(chosen):
            return nobody, nobody
        sight, wider, _reach = sight_of(moment, hood, everyone, targets)
        _counts, owners, _squares = search.lookers(everyone.at(chosen), sight.at(chosen), targets, wider)
        taken_ = owners >= 0
        return targets.rows[taken_], owners[taken_]
    seekers, found, apart = _pairs(around(moment, name, one(which)), acting, which)
    order = np.lexsort((seekers, apart, found))
    found, seekers = found[order], seekers[order]
    first = np.concatenate([[True], found[1:] != found[:-1]]) if len(found) else np.zeros(0, np.bool_)
    return found[first], seekers[first]


def _pairs(answers: Around, acting: Rows, which: str) -> tuple[NDArray[np.int64], NDArray[np.int64], Array]:
    """Seekers among the acting rows with whom they found, and how far away (m): (p,) each."""
    rows = as_indices(acting)
    match which:
        case "furthest":
            found, apart = answers.furthest_rows[rows][:, None], answers.furthest[rows][:, None]
        case "nearest":
            found, apart = answers.rows[rows, :1], answers.distances[rows, :1]
        case _:
            found, apart = answers.rows[rows], answers.distances[rows]
    there = found >= 0
    return np.broadcast_to(rows[:, None], found.shape)[there].astype(np.int64), found[there], apart[there]


def lookers_of(moment: Moment, name: str) -> tuple[NDArray[np.int32], NDArray[np.int64], NDArray[np.float32]]:
    """For everyone: how many seekers of a neighbourhood find it, which is the nearest of them (−1 for none), and how far away that is, squared (m²):
    (n,)."""
    hood = moment.scene.neighbourhoods.get(name)

    def compute(_before: Any) -> tuple[NDArray[np.int32], NDArray[np.int64], NDArray[np.float32]]:
        number = moment.count
        counts, owners, squares = np.zeros(number, np.int32), np.full(number, -1, np.int64), np.full(number, np.inf, np.float32)
        if hood is None:
            return counts, owners, squares
        if hood.listed:
            seekers, found, distances = _pairs(around(moment, name), moment.everyone(), "all")
            counts += np.bincount(found, minlength=number).astype(np.int32)
            order = np.lexsort((seekers, distances, found))[::-1]
            # Written from the furthest on: the nearest stays.
            owners[found[order]], squares[found[order]] = seekers[order], distances[order] ** 2
        else:
            seekers_, targets = crowd(moment, hood.who, True), crowd(moment, hood.among, hood.nested)
            sight, wider, _reach = sight_of(moment, hood, seekers_, targets)
            counts[targets.rows], owners[targets.rows], squares[targets.rows] = search.lookers(seekers_, sight, targets, wider)
        return counts, owners, squares

    found: tuple[NDArray[np.int32], NDArray[np.int64], NDArray[np.float32]] = moment.answers.asked(
        ("lookers", name), ("group", REMOVED), compute, (moment.count, moment.time)
    )
    return found


def place_for(moment: Moment, name: str) -> NDArray[np.int32]:
    """In which place everyone stands for the nearest seeker that finds it: 1 for the nearest to that one, 0 where nobody does: (n,).

    By the distance between their centres, as everywhere, of those found; of two equally near the one with the lower row comes first.
    """
    hood = moment.scene.neighbourhoods.get(name)
    _counts, owners, squares = lookers_of(moment, name)
    out = np.zeros(moment.count, np.int32)
    me = np.flatnonzero(owners >= 0)
    if hood is None or not len(me):
        return out
    if hood.listed:
        rows = around(moment, name).rows[owners[me]]
        out[me] = 1 + np.argmax(rows == me[:, None], axis=1)
        return out
    # As many as the seeker finds before that.
    targets = crowd(moment, hood.among, hood.nested)
    every = crowd(moment, hood.who, True)
    sight, wider, _reach = sight_of(moment, hood, every, targets)
    of = np.searchsorted(every.rows, owners[me])
    bounds = (squares[me], me.astype(np.int64))
    out[me] = 1 + search.look(every.at(of), sight.at(of), targets, wider, np.zeros((len(targets), 0), np.float32), before=bounds).counts
    return out
