"""Motion, and contact on the way."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import NDArray

from hailridge.core.kernels import contact as contact_kernel
from hailridge.core.kernels import motion as motion_kernel
from hailridge.core.scene.buffers import Encounter
from hailridge.core.scene.moment import Moment
from hailridge.core.scene.sticking import attach, follow, forget_released, stuck_rows
from hailridge.core.state.contributions import PILES
from hailridge.core.state.events import Happening
from hailridge.core.state.particles import as_indices
from hailridge.core.step.obstacles import NOBODY, Obstacles, Way

STRAY_LIMIT = 1e5
"""Metres from the origin at which a particle is lost: a hundred kilometres are no effect any more."""

BARELY_OFF = 1e-4
"""Metres between a particle and what it touched a step ago, within which it still touches it; a two-hundredth of its radius is added."""

AtTouch = Callable[[NDArray[np.bool_]], None]
"""Called with those who are held at a touch (n,)."""


def move_and_touch(moment: Moment, obstacles: Obstacles, at_touch: AtTouch) -> None:
    """Advance velocities and positions through the step; particles bounce off what their rules say on the way.

    Those whom a rule on contact concerns are held at each new touch, `at_touch` is called for them (a mask (n,)), and they go on as the rules left
    them: whom a rule stopped stays there.
    """
    count = moment.count
    if count == 0:
        return
    spans = np.array([moment.dt], np.float32) if moment.spans is None else moment.spans
    velocity, position = moment.column("velocity"), moment.column("position")
    moment.started = position.copy() if moment.scene.plan.along_the_way else None
    displacement, gained = np.empty((count, 3), np.float32), np.empty((count, 3), np.float32)
    piles = {name: moment.buffers.piles.given(name) for name in PILES}
    if len(piles["drag"]) and not len(piles["air"]):
        piles["air"] = np.zeros((1, 3), np.float32)
    motion_kernel.move(count, velocity, *piles.values(), spans, displacement, gained)
    marks = np.flatnonzero(moment.column("held")) if moment.particles.has("held") else np.zeros(0, np.intp)
    stuck = stuck_rows(moment)
    for still in (marks, stuck):
        # Marks stay where they were left, whatever pushes them, and what is stuck where it sticks.
        displacement[still], gained[still], velocity[still] = 0, 0, 0
    if moment.particles.has("orientation"):
        motion_kernel.turn(count, moment.column("orientation"), moment.column("spin"), spans)
    if moment.buffers.encounters:
        _touch(moment, obstacles, spans, displacement, gained, at_touch, stuck)
    else:
        position += displacement
        moment.column("touching")[:] = 0
    follow(moment)
    forget_released(moment)
    moment.begin_part()


def _touch(
    moment: Moment, obstacles: Obstacles, spans: Any, displacement: Any, gained: Any, at_touch: AtTouch, stuck: NDArray[np.intp]
) -> None:  # fmt: skip
    count = moment.count
    permitted, bounciness, friction, sticky = _solid(moment, obstacles)
    # Whoever is stuck is held by that, and no other shape moves it.
    permitted[:, stuck] = 0
    before = moment.column("touching").copy()
    way = obstacles.meet(
        moment, moment.column("position"), moment.column("velocity"), displacement, gained, moment.column("radius").copy(), spans, permitted,
        bounciness, friction, before, _listening(moment, sticky),
    )  # fmt: skip
    # Directly: the rows of children that a rule on contact made have no part in this.
    moment.surface = way.normals
    told = np.zeros(count, np.uint64)
    while (held := np.flatnonzero(way.held)).size:
        _report(moment, obstacles, way, held, way.new[held] & ~told[held])
        told[held] = way.new[held]
        if sticky is not None:
            left = way.carried[held, contact_kernel.LEFT] * (spans[0] if len(spans) == 1 else spans[held])
            _stick(moment, obstacles, way, held, sticky, way.new, 1 - left / moment.dt if moment.dt > 0 else np.ones(len(held)))
        moment.begin_part()
        _go_on(moment, obstacles, way, held, spans, at_touch)
    rows = np.flatnonzero(way.new & ~told)
    _report(moment, obstacles, way, rows, way.new[rows] & ~told[rows])
    if sticky is not None:
        # Who was lying on it already when it began to be sticky.
        lying = np.flatnonzero(way.touched & ~way.new)
        _stick(moment, obstacles, way, lying, sticky, way.touched, np.ones(len(lying)))
    moment.column("touching")[:count] = way.touched | _still_touched(moment, obstacles, permitted, before & ~way.touched)


def _solid(moment: Moment, obstacles: Obstacles) -> tuple[Any, Any, Any, Any]:
    """What rules have made solid: whom each of k obstacles concerns (k, n) uint8, with how much bounciness and friction, (k, n) or (k, 1); and how
    deep who touches it sinks in and sticks, (k, n) metres, NaN for who does not stick; None where nobody does."""
    count, kinds = moment.count, len(obstacles.slots)
    encounters: list[Encounter] = moment.buffers.encounters
    permitted = np.zeros((kinds, count), np.uint8)
    varied = any(np.ndim(e.bounciness) or np.ndim(e.friction) or isinstance(e.rows, np.ndarray) for e in encounters)
    bounciness = np.zeros((kinds, count if varied else 1), np.float32)
    friction = np.zeros((kinds, count if varied else 1), np.float32)
    sticky = np.full((kinds, count), np.nan, np.float32) if any(e.sunk is not None for e in encounters) else None
    for encounter in encounters:
        slot = obstacles.slots[encounter.shape]
        permitted[slot, encounter.rows] = 1
        if sticky is not None:
            sticky[slot, encounter.rows] = np.nan if encounter.sunk is None else encounter.sunk
        where = encounter.rows if varied else slice(None)
        bounciness[slot, where] = encounter.bounciness
        friction[slot, where] = encounter.friction
    return permitted, np.clip(bounciness, 0, 1), friction, sticky


def _listening(moment: Moment, sticky: Any) -> NDArray[np.uint8]:
    """Whom some rule on contact concerns, or who sticks to something (n,); (0,) where there is nobody."""
    rules = moment.scene.turns.contact
    sticking = NOBODY if sticky is None else np.asarray(~np.isnan(sticky).all(axis=0), np.uint8)
    if not rules:
        return sticking
    members = np.any([ready.members for ready in rules], axis=0)
    listening = np.asarray(members[moment.column("group")], np.uint8)
    return listening | sticking if len(sticking) else listening


def _stick(
    moment: Moment, obstacles: Obstacles, way: Way, rows: NDArray[np.intp], sticky: Any, touched: NDArray[np.uint64], shares: Any
) -> None:  # fmt: skip
    """Stick those of `rows` (k,) to what they touch that are to stick to it; `shares` (k,) of the step have passed for them."""
    free = moment.column("stuck")[rows] <= 0
    for slot, bit in enumerate(obstacles.bits):
        released = moment.column("stuck")[rows] == -(int(obstacles.shapes[slot]) + 1)
        mine = free & ~released & ((touched[rows] & bit) != 0) & ~np.isnan(sticky[slot, rows])
        if mine.any():
            those = rows[mine]
            attach(moment, moment.body(int(obstacles.shapes[slot])), those, shares[mine], sticky[slot, those])
            free &= ~mine


def _report(moment: Moment, obstacles: Obstacles, way: Way, rows: NDArray[np.intp], new: NDArray[np.uint64]) -> None:
    """Note new contacts (`new`: masks of the shapes) of these rows, and write an event for each."""
    if len(rows):
        moment.column("contact_time")[rows] = moment.time
        moment.column("contact_count")[rows] += np.bitwise_count(new)
        moment.column("impact_speed")[rows] = way.impact[rows]
        moment.log.add(Happening.CONTACT, moment, rows, obstacles.shapes[way.struck[rows]], value=way.impact[rows])


def _go_on(moment: Moment, obstacles: Obstacles, way: Way, held: NDArray[np.intp], spans: Any, at_touch: AtTouch) -> None:
    """Ask the rules on contact of those who are held, and take them further as the rules leave them."""
    velocity, position = moment.column("velocity")[held], moment.column("position")[held]
    touching = moment.column("touching")
    touching[held] |= way.touched[held]
    among = np.zeros(moment.count, np.bool_)
    among[held] = True
    at_touch(among)
    count = len(way.touched)
    # Children may have been added below: the columns lie elsewhere now.
    speeds, places = moment.column("velocity")[:count], moment.column("position")[:count]
    turned, put = np.any(speeds[held] != velocity, axis=1), np.any(places[held] != position, axis=1)
    if turned.any():
        rows, carried = held[turned], way.carried
        given, left = speeds[rows].astype(np.float64), carried[rows, contact_kernel.LEFT]
        # Who was stopped stays: what pushes it for the rest of this step does not move it on.
        gain = carried[rows, contact_kernel.GAIN : contact_kernel.GAIN + 3] * np.any(given != 0, axis=1)[:, None]
        added = gain * left[:, None]
        rest = (left * (spans[0] if len(spans) == 1 else spans[rows]))[:, None]
        carried[rows, contact_kernel.GAIN : contact_kernel.GAIN + 3] = gain
        # Even who stays may be met by a shape that moves on.
        carried[rows, contact_kernel.OVER] = left <= 0
        carried[rows, contact_kernel.SPEED : contact_kernel.SPEED + 3] = given + added
        carried[rows, contact_kernel.WAY : contact_kernel.WAY + 3] = (given + added / 2) * rest
    if put.any():
        way.carried[held[put], contact_kernel.PLACE : contact_kernel.PLACE + 3] = places[held[put]]
    leaving = moment.doomed[held]
    if moment.particles.has("stuck"):
        # Whoever sticks has come to the end of its way.
        leaving = leaving | (moment.column("stuck")[held] > 0)
    way.held[held[leaving]] = 0
    if not leaving.all():
        obstacles.go_on(moment, way, places, speeds, held[~leaving])


def _still_touched(moment: Moment, obstacles: Obstacles, permitted: Any, lost: NDArray[np.uint64]) -> NDArray[np.uint64]:
    """Of what particles touched a step ago and the sweep did not meet again (`lost`, masks), what they have barely come off.

    Whoever rests between two surfaces is pressed against one and lies on the other without being stopped by it.
    """
    still = np.zeros(len(lost), np.uint64)
    candidates = lost.nonzero()[0]
    for slot, bit in enumerate(obstacles.bits if len(candidates) else ()):
        rows = candidates[((lost[candidates] & bit) != 0) & (permitted[slot, candidates] != 0)]
        if len(rows):
            radius = moment.column("radius")[rows]
            reach = radius * np.float32(1.005) + np.float32(BARELY_OFF)
            _places, distances = moment.end.poses[int(obstacles.shapes[slot])].closest(moment.column("position")[rows], float(reach.max()) * 1.01)
            still[rows[distances <= reach]] |= bit
    return still


def catch_strays(moment: Moment) -> None:
    """Remove particles that are not finite or have left for good, and say so."""
    count = moment.count
    marks = np.empty(count, np.uint8)
    motion_kernel.strays(count, moment.column("position"), moment.column("velocity"), np.float32(STRAY_LIMIT), marks)
    lost = np.flatnonzero(marks)
    if len(lost):
        rule = _last_rule(moment, as_indices(lost))
        text = f"{len(lost):,} stray particles were removed: they had left the scene by more than {STRAY_LIMIT / 1000:g} km or were not finite"
        moment.find("warning", rule, text, key="stray")
        for name in ("position", "velocity"):
            column = moment.column(name)
            column[lost] = np.nan_to_num(column[lost], nan=0.0, posinf=0.0, neginf=0.0)
        moment.doom(lost)


def _last_rule(moment: Moment, lost: NDArray[np.intp]) -> str | None:
    """The rule that most probably sent them off: the last enabled one that holds for the first of them."""
    for ready in reversed(moment.scene.rules):
        if ready.rule.trigger in ("each", "once", "becomes") and (not ready.remembers or moment.column(ready.held)[lost[0]]):
            return ready.rule.address
    return None
