"""Pushing apart within a step: after everybody has moved, and never through what is solid."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from hailridge.core.kernels.contact import PASSES
from hailridge.core.scene.moment import Moment
from hailridge.core.state.costs import owner_of
from hailridge.core.state.particles import as_indices, lengths
from hailridge.core.state.separating import push_apart
from hailridge.core.step import slides
from hailridge.core.step.mending import stop_against
from hailridge.core.step.obstacles import Obstacles

IMMOVABLE = np.float32(1e12)

LEAST = np.float32(1e-7)
"""Metres; nobody is said to be pushed by less."""

SLIDES = 2
"""How often in a round somebody who is pushed against something solid goes on along it."""


def keep_apart(moment: Moment, obstacles: Obstacles) -> None:
    """Do what actions that push apart have asked for, each in its rounds. Whoever would be pushed into something solid to it stays before it."""
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
        unpushed = moment.column("position")[rows]
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
        pushed = moment.column("position")[rows] - unpushed
        # Whoever had to be pushed back has no speed the other way: what weighs on one another comes to rest.
        stop_against(moment, rows, pushed / np.maximum(lengths(pushed), LEAST)[:, None])
        _no_faster_than_gone(moment, rows[np.any(pushed != 0, axis=1)])
        moment.costs.end(owner_of(action.address), begun)
    slides.stay(moment)
    moment.begin_part()


def _no_faster_than_gone(moment: Moment, rows: NDArray[np.intp]) -> None:
    """Nobody who was pushed is faster than the way that it has really come in this step."""
    if not len(rows) or moment.dt <= 0:
        return
    velocity = moment.column("velocity")[rows]
    gone = lengths(moment.column("position")[rows] - moment.places_at_start(rows)) / moment.elapsed(rows)
    moment.column("velocity")[rows] = velocity * np.minimum(1, gone / np.maximum(lengths(velocity), np.float32(1e-9)))[:, None]


def solid_to(moment: Moment) -> dict[int, NDArray[np.intp]]:
    """By the index of a shape, to whom it is solid in this step."""
    found: dict[int, list[NDArray[np.intp]]] = {}
    for encounter in moment.buffers.encounters:
        if encounter.response == PASSES:
            continue
        found.setdefault(encounter.shape, []).append(as_indices(encounter.rows))
    return {shape: np.unique(np.concatenate(parts)) for shape, parts in found.items()}
