"""Pushing apart within a step: after everybody has moved, and never through what is solid."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np
from numpy.typing import NDArray

from hailridge.core.kernels.contact import PASSES
from hailridge.core.scene.moment import Moment
from hailridge.core.state.costs import owner_of
from hailridge.core.state.particles import as_factor, as_indices
from hailridge.core.state.separating import Separation, push_apart
from hailridge.core.state.surroundings import Crowd, Sight, nearest
from hailridge.core.step import slides
from hailridge.core.step.mending import stop_against
from hailridge.core.step.obstacles import Obstacles

IMMOVABLE = np.float32(1e12)

AGAINST = 1.02
"""Two lie against each other that are nearer than so many times the sum of their radii."""

LEAST = np.float32(1e-7)
"""Metres; nobody is said to be pushed by less."""

MOST_WAYS = 8
"""Ways in which a heap can be held up: a floor is one, a corner three, a bowl has many that are nearly alike."""

ALIKE = 0.97
"""The cosine between two ways that count as one."""

SLIDES = 2
"""How often in a round somebody who is pushed against something solid goes on along it."""


def keep_apart(moment: Moment, obstacles: Obstacles) -> None:
    """Do what actions that push apart have asked for, each in its rounds. Whoever would be pushed into something solid to it stays before it.

    What two that touch have of speed toward each other is lost, and nothing else: together they keep their momentum. Only what is solid, or stuck,
    takes momentum away, in the directions in which it holds them up (`_held_up`).
    """
    if not moment.buffers.pushers or not moment.count:
        return
    solid = solid_to(moment)
    for action, asked in moment.buffers.pushers:
        begun = moment.costs.begin()
        rows = as_indices(asked)
        if action.others:
            also = moment.scene.members(action.others)[moment.column("group")]
            also[rows] = True
            rows = np.flatnonzero(also)
        radii, masses = moment.column("radius")[rows], moment.column("mass")[rows]
        if moment.particles.has("stuck"):
            # Whoever is stuck gives way to nobody.
            masses = np.where(moment.column("stuck")[rows] > 0, IMMOVABLE, masses).astype(np.float32)
        unpushed, supports = moment.column("position")[rows], _touched(moment, rows)
        # Where something is solid to somebody, each round is held before it, so that the next one pushes the others further.
        each = 1 if solid else action.rounds
        for _round in range(action.rounds // each):
            before = moment.column("position")[rows]
            places, velocities = moment.column("position")[rows], moment.column("velocity")[rows]
            places, velocities = push_apart(places, velocities, radii, masses, action.strength, each)
            moment.column("velocity")[rows], moment.column("position")[rows] = velocities, places
            moved = np.flatnonzero(np.any(places != before, axis=1)) if solid else rows[:0]
            if len(moved):
                normals = obstacles.sweep(moment, solid, rows[moved], before[moved], places[moved] - before[moved], SLIDES)
                stop_against(moment, rows[moved], normals)
                met = np.any(normals != 0, axis=1)
                supports[moved[met]] = normals[met]
        _held_up(moment, rows, radii, masses, supports, moment.column("position")[rows] - unpushed)
        moment.costs.end(owner_of(action.address), begun)
    slides.stay(moment)
    moment.begin_part()


def _touched(moment: Moment, rows: NDArray[np.intp]) -> NDArray[np.float32]:
    """Ways off what is solid that these have touched in this step, of no length where that is nothing: (k, 3)."""
    normals = moment.surface_at(rows)
    return np.zeros((len(rows), 3), np.float32) if normals is None else np.array(normals, np.float32)


def _held_up(moment: Moment, rows: NDArray[np.intp], radii: Any, masses: Any, supports: NDArray[np.float32], pushed: NDArray[np.float32]) -> None:
    """Whoever lies in a heap that lies against something solid comes to rest on it: along each way in which that holds the heap up, who was pushed up
    has no speed down, and nobody goes down faster than it really went. In every other way, and in a heap that flies, momentum is left alone."""
    if moment.dt <= 0 or len(rows) < 2:
        return
    places = moment.column("position")[rows]
    stuck = masses >= IMMOVABLE
    if not stuck.any() and not supports.any():
        return
    heap = Separation(places, places, radii, masses).heaps(AGAINST)
    if stuck.any():
        supports = supports + _off_stuck(places, radii, stuck)
    gone = (places - moment.places_at_start(rows)) / np.maximum(as_factor(moment.elapsed(rows)), np.float32(1e-9))
    velocity = moment.column("velocity")[rows]
    for ways in _ways_of(heap, supports):
        down = np.einsum("ij,ij->i", velocity, ways)
        up = np.einsum("ij,ij->i", pushed, ways) > LEAST
        really = np.where(up, np.float32(0), np.minimum(np.einsum("ij,ij->i", gone, ways), 0))
        velocity += ways * np.maximum(really - down, 0)[:, None]
    moment.column("velocity")[rows] = velocity


def _off_stuck(places: Any, radii: Any, stuck: NDArray[np.bool_]) -> NDArray[np.float32]:
    """Ways off the nearest that is stuck, for those who lie against it: (k, 3)."""
    out = np.zeros((len(places), 3), np.float32)
    free = np.flatnonzero(~stuck)
    if not len(free):
        return out
    held = Crowd(np.ascontiguousarray(places[stuck]), np.flatnonzero(stuck), np.full(int(stuck.sum()), -1, np.int32))
    loose = Crowd(np.ascontiguousarray(places[free]), free, np.full(len(free), -1, np.int32))
    reach = Sight(np.ascontiguousarray(radii[free] * np.float32(AGAINST)))
    found, apart, _thinned = nearest(loose, reach, held, np.ascontiguousarray(radii[stuck] * np.float32(AGAINST)), 1)
    against = (found[:, 0] >= 0) & (apart[:, 0] > 0)
    out[free[against]] = (places[free[against]] - places[found[against, 0]]) / apart[against]
    return out


def _ways_of(heap: NDArray[np.int64], supports: NDArray[np.float32]) -> Iterator[NDArray[np.float32]]:
    """The ways in which each heap (k,) is held up by those of it who are (k, 3), a few that differ for each: for everybody one after another (k, 3),
    of no length where its heap has no more."""
    rest = np.any(supports != 0, axis=1)
    for _way in range(MOST_WAYS):
        held = np.flatnonzero(rest)
        if not len(held):
            return
        # The first of those left stands for all that are held up nearly as it is.
        heaps, firsts = np.unique(heap[held], return_index=True)
        ways = supports[held[firsts]]
        at = np.searchsorted(heaps, heap).clip(0, len(heaps) - 1)
        mine = np.where((heaps[at] == heap)[:, None], ways[at], 0).astype(np.float32)
        yield mine
        rest[held] = np.einsum("ij,ij->i", mine[held], supports[held]) < ALIKE


def solid_to(moment: Moment) -> dict[int, NDArray[np.intp]]:
    """By the index of a shape, to whom it is solid in this step."""
    found: dict[int, list[NDArray[np.intp]]] = {}
    for encounter in moment.buffers.encounters:
        if encounter.response == PASSES:
            continue
        found.setdefault(encounter.shape, []).append(as_indices(encounter.rows))
    return {shape: np.unique(np.concatenate(parts)) for shape, parts in found.items()}
