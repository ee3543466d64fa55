"""Particles that bounce off one another: each pair meets on its way within the step, by mass and bounciness."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from hailridge.core.kernels import pairs as kernel
from hailridge.core.scene.moment import Moment
from hailridge.core.state.costs import owner_of
from hailridge.core.state.events import Happening
from hailridge.core.state.neighbours import AROUND, Grid, beginnings
from hailridge.core.state.particles import as_indices, lengths
from hailridge.core.state.separating import SIDES, SLACK
from hailridge.core.step.apart import SLIDES, solid_to
from hailridge.core.step.contact import AtTouch
from hailridge.core.step.obstacles import Obstacles

FARTHEST = 16.0
"""Largest radii that a way may be long at most for pairs to be looked for along all of it."""

IMMOVABLE = 1e12
"""kg, of who is stuck or left as a mark."""


def collide(moment: Moment, obstacles: Obstacles, at_touch: AtTouch) -> None:
    """Let those bounce off one another whom rules say so; rules on contact act on them. Nobody is sent through what is solid to it."""
    for action, asked in moment.buffers.colliders:
        began = moment.costs.begin()
        rows = as_indices(asked)
        movers = np.zeros(moment.count, np.bool_)
        movers[rows] = True
        if action.others:
            movers |= moment.scene.members(action.others)[moment.column("group")]
        movers &= ~moment.doomed
        those = np.flatnonzero(movers)
        concerned = np.zeros(moment.count, np.bool_)
        concerned[rows] = True
        _bounce(moment, obstacles, action, those, concerned[those], at_touch)
        moment.costs.end(owner_of(action.address), began)


def _bounce(moment: Moment, obstacles: Obstacles, action: Any, rows: NDArray[np.intp], concerned: NDArray[np.bool_], at_touch: AtTouch) -> None:
    if len(rows) < 2:
        return
    column = moment.column
    place, radii = column("position")[rows], column("radius")[rows]
    begun = moment.places_at_start(rows)
    ways = place - begun
    reach = 2 * float(radii.max(initial=0.0))
    if reach <= 0:
        return
    furthest = min(float(lengths(ways).max(initial=0.0)), FARTHEST * reach)
    grid = Grid((begun + place) / np.float32(2), (reach + furthest) * SLACK)
    order = grid.order
    starts, runs = grid.runs(grid.taken, SIDES)
    numbers = grid.taken // grid.slab
    slabs = np.append(beginnings(numbers), len(grid.taken))
    begun, ways, radii = (np.ascontiguousarray(given[order], np.float32) for given in (begun, ways, radii))
    pairs, times = kernel.meeting_pairs(slabs, grid.firsts, starts, runs, begun, ways, radii)
    mine = concerned[order]
    # Of a pair one is of those whom the rule is about, the other of those whom it meets.
    groups = column("group")[rows][order]
    others = moment.scene.members(action.others)[groups] if action.others else mine
    fits = (mine[pairs[:, 0]] & others[pairs[:, 1]]) | (mine[pairs[:, 1]] & others[pairs[:, 0]])
    pairs, times = pairs[fits], times[fits]
    if not len(pairs):
        return
    ids = column("id")[rows][order]
    low, high = np.sort(ids[pairs], axis=1).T
    sequence = np.lexsort((high, low, times))
    cells = np.repeat(np.arange(len(grid.taken)), np.diff(grid.firsts))
    around = (cells, *grid.runs(grid.taken, AROUND), mine.astype(np.uint8), others.astype(np.uint8), ids)
    meetings = (np.ascontiguousarray(pairs[sequence]), np.ascontiguousarray(times[sequence]), *around)
    _carry_out(moment, obstacles, action, rows[order], meetings, begun, ways, radii, at_touch)


def _carry_out(
    moment: Moment, obstacles: Obstacles, action: Any, rows: NDArray[np.intp], meetings: tuple[Any, ...], begun: Any, ways: Any, radii: Any,
    at_touch: AtTouch,
) -> None:  # fmt: skip
    """`meetings` is what `kernels.pairs.bounce_pairs` is told first: pairs, when they meet, who is near whom and of what side."""
    column, count = moment.column, len(rows)
    masses = column("mass")[rows].copy()
    for name in ("stuck", "held"):
        if moment.particles.has(name):
            masses[column(name)[rows] > 0] = IMMOVABLE
    bounciness = np.broadcast_to(np.asarray(action.bounciness.give(moment, rows), np.float64), (count,)).clip(0, 1)
    places, going, velocities = begun.astype(np.float64), ways.astype(np.float64), column("velocity")[rows].astype(np.float64)
    at, approach, met = np.zeros(count), np.zeros(count), np.full(count, -1, np.int64)
    fixed = (np.ascontiguousarray(bounciness), np.float64(moment.dt), radii, masses)
    kernel.bounce_pairs(*meetings, *fixed, places, going, velocities, at, approach, met)
    hit = np.flatnonzero(met >= 0)
    if not len(hit):
        return
    those = rows[hit]
    before = column("position")[those]
    after = (places[hit] + going[hit] * (1 - at[hit])[:, None]).astype(np.float32)
    column("velocity")[those] = velocities[hit]
    column("position")[those] = after
    # In the order of the rows, as everything else.
    sequence = np.argsort(those)
    hit, those, before, after = hit[sequence], those[sequence], before[sequence], after[sequence]
    solid = solid_to(moment)
    if solid:
        obstacles.sweep(moment, solid, those, before, after - before, SLIDES)
    moment.answers.changed("position")
    _tell(moment, action, those, rows[met[hit]], approach[hit], at_touch)


def _tell(moment: Moment, action: Any, rows: NDArray[np.intp], partners: NDArray[np.intp], speeds: Any, at_touch: AtTouch) -> None:
    """Note whom each has met, where that is to be told, and ask the rules on contact."""
    column = moment.column
    ago = moment.time - column("contact_time")[rows]
    told = (speeds >= np.asarray(action.least.give(moment, rows))) & (ago >= np.asarray(action.pause.give(moment, rows)))
    rows, partners, speeds = rows[told], partners[told], speeds[told]
    if not len(rows):
        return
    groups = column("group")[partners]
    column("contact_time")[rows] = moment.time
    column("contact_count")[rows] += 1
    column("impact_speed")[rows] = speeds
    column("met")[rows] = column("id")[partners]
    column("met_group")[rows] = groups
    if moment.particles.has("contact_shape"):
        column("contact_shape")[rows] = -1
    # From the other's surface toward it.
    way = column("position")[rows] - column("position")[partners]
    normals = way / np.maximum(lengths(way), 1e-9)[:, None]
    spots = column("position")[rows] - normals * column("radius")[rows][:, None]
    moment.log.touch(moment, rows, moment.time, -1, spots, normals, speeds, column("id")[partners])
    moment.log.add(Happening.CONTACT, moment, rows, -1, present=groups, value=speeds, parent=column("id")[partners])
    if moment.scene.turns.contact:
        among = np.zeros(moment.count, np.bool_)
        among[rows] = True
        moment.begin_part()
        at_touch(among)
