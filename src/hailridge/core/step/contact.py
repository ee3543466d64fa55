"""Motion, and contact on the way."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import NDArray

from hailridge.core.kernels import contact as contact_kernel
from hailridge.core.kernels import motion as motion_kernel
from hailridge.core.scene.moment import Moment
from hailridge.core.scene.sticking import attach, follow, forget_released, held_rows
from hailridge.core.scene.touched import note_pull
from hailridge.core.state.contributions import PILES
from hailridge.core.state.events import Happening
from hailridge.core.state.particles import as_indices
from hailridge.core.step import mending, rolling, slides
from hailridge.core.step.forms import Pushed, change_forms
from hailridge.core.step.obstacles import NOBODY, Obstacles, Way
from hailridge.core.step.solid import Solid, gathered

STRAY_LIMIT = 1e5
"""Metres from the origin at which a particle is lost: a hundred kilometres are no effect any more."""

BARELY_OFF = 1e-4
"""Metres between a particle and what it touched a step ago, within which it still touches it; a two-hundredth of its radius is added."""

AtTouch = Callable[[NDArray[np.bool_]], None]
"""Called with those who are held at a touch (n,)."""


def move_and_touch(moment: Moment, obstacles: Obstacles, at_touch: AtTouch) -> None:
    """Advance velocities and positions through the step; particles meet on the way what their rules say.

    Those whom a rule on contact concerns are held at each new touch, `at_touch` is called for them (a mask (n,)), and they go on as the rules left
    them: whom a rule stopped stays there.
    """
    count = moment.count
    if count == 0:
        return
    spans = np.array([moment.dt], np.float32) if moment.spans is None else moment.spans
    velocity, position = moment.column("velocity"), moment.column("position")
    moment.started = position.copy() if moment.scene.plan.along_the_way or _asked_back(moment, obstacles) else None
    displacement, gained = np.empty((count, 3), np.float32), np.empty((count, 3), np.float32)
    piles = {name: moment.buffers.piles.given(name) for name in PILES}
    if len(piles["drag"]) and not len(piles["air"]):
        piles["air"] = np.zeros((1, 3), np.float32)
    motion_kernel.move(count, velocity, *piles.values(), spans, displacement, gained)
    note_pull(moment, gained, spans)
    marks = np.flatnonzero(moment.column("held")) if moment.particles.has("held") else np.zeros(0, np.intp)
    stuck = held_rows(moment, "stuck")
    for still in (marks, stuck):
        # Marks stay where they were left, whatever pushes them, and what is stuck where it sticks.
        displacement[still], gained[still], velocity[still] = 0, 0, 0
    if moment.particles.has("orientation"):
        motion_kernel.turn(count, moment.column("orientation"), rolling.free_spin(moment), spans)
    if moment.buffers.encounters:
        _touch(moment, obstacles, spans, displacement, gained, at_touch, stuck)
    else:
        position += displacement
        moment.column("touching")[:] = 0
        if moment.particles.has("sliding"):
            released = moment.column("sliding")
            released[released > 0] = 0
    follow(moment)
    forget_released(moment)
    moment.begin_part()


def _touch(
    moment: Moment, obstacles: Obstacles, spans: Any, displacement: Any, gained: Any, at_touch: AtTouch, stuck: NDArray[np.intp]
) -> None:  # fmt: skip
    count = moment.count
    solid = gathered(moment, obstacles.slots)
    # Whoever is stuck is held by that, and no other shape moves it.
    solid.permitted[:, stuck] = 0
    before = moment.column("touching").copy()
    started = moment.started
    slides.along(moment, obstacles, solid, displacement, gained)
    listening = _listening(moment, solid.sticky)
    pushed = change_forms(moment, obstacles, solid, displacement, gained, spans)
    if pushed is not None:
        _tell_pushed(moment, obstacles, solid, pushed, before, listening, displacement, gained, spans, at_touch)
        before |= pushed.touched
    # The rows of children that a rule on contact made come after these, and have no part in this.
    way = obstacles.meet(
        moment, moment.column("position")[:count], moment.column("velocity")[:count], displacement, gained, moment.column("radius")[:count].copy(),
        spans, solid, before, listening,
    )  # fmt: skip
    if pushed is not None:
        way.touched |= pushed.touched
        harder = (pushed.struck >= 0) & (pushed.impact > way.impact)
        way.normals[harder] = pushed.normals[harder]
    moment.surface = way.normals
    told = np.zeros(count, np.uint64)
    while (held := np.flatnonzero(way.held)).size:
        _report(moment, obstacles, way, held, way.new[held] & ~told[held])
        told[held] = way.new[held]
        if solid.sticky is not None:
            left = way.carried[held, contact_kernel.LEFT] * (spans[0] if len(spans) == 1 else spans[held])
            _stick(moment, obstacles, held, solid.sticky, way.new, 1 - left / moment.dt if moment.dt > 0 else np.ones(len(held)))
        moment.begin_part()
        _go_on(moment, obstacles, way, held, spans, at_touch)
    rows = np.flatnonzero(way.new & ~told)
    _report(moment, obstacles, way, rows, way.new[rows] & ~told[rows])
    if solid.sticky is not None:
        # Who was lying on it already when it began to be sticky.
        lying = np.flatnonzero(way.touched & ~way.new)
        _stick(moment, obstacles, lying, solid.sticky, way.touched, np.ones(len(lying)))
    moment.column("touching")[:count] = way.touched | _still_touched(moment, obstacles, solid.permitted, before & ~way.touched)
    if started is not None:
        mending.put_back(moment, obstacles, solid, started, spans, way.touched)
        mending.not_between(moment, obstacles, solid, started, way.touched)
    slides.hold(moment, obstacles, solid, way)
    rolling.turn(moment, obstacles, solid, way, started)


def _asked_back(moment: Moment, obstacles: Obstacles) -> bool:
    """Whether contact asks afterwards where everybody began."""
    if not moment.buffers.encounters:
        return False
    return rolling.somebody(moment) or len(obstacles.slots) > 1 or bool(obstacles.changing)


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
    moment: Moment, obstacles: Obstacles, rows: NDArray[np.intp], sticky: Any, touched: NDArray[np.uint64], shares: Any
) -> None:
    """Stick those of `rows` (k,) to what they touch that are to stick to it; `shares` (k,) of the step have passed for them."""
    free = moment.column("stuck")[rows] <= 0
    for slot, bit in enumerate(obstacles.bits):
        released = moment.column("stuck")[rows] == -(int(obstacles.shapes[slot]) + 1)
        mine = free & ~released & ((touched[rows] & bit) != 0) & ~np.isnan(sticky[slot, rows])
        if mine.any():
            those = rows[mine]
            attach(moment, moment.body(int(obstacles.shapes[slot])), those, shares[mine], sticky[slot, those])
            free &= ~mine


def _tell_pushed(
    moment: Moment, obstacles: Obstacles, solid: Solid, pushed: Pushed, before: NDArray[np.uint64], listening: NDArray[np.uint8], displacement: Any,
    gained: Any, spans: Any, at_touch: AtTouch,
) -> None:  # fmt: skip
    """Tell whom a changing shape has come upon, and ask the rules on contact of them, before they go on."""
    new = pushed.touched & ~before
    told = np.flatnonzero(new)
    slots = pushed.struck[told]
    told = told[pushed.impact[told] >= (solid.least[slots, told] if solid.least.shape[1] > 1 else solid.least[slots, 0])]
    if not len(told):
        return
    _report(moment, obstacles, pushed, told, new[told])
    if not len(listening):
        return
    rows = told[listening[told] != 0]
    moment.column("touching")[rows] |= pushed.touched[rows]
    if solid.sticky is not None:
        _stick(moment, obstacles, rows, solid.sticky, pushed.touched, np.zeros(len(rows)))
    # Rules see the velocity of the moment; what pushes it comes after that.
    moment.column("velocity")[rows] -= gained[rows]
    velocity, position = moment.column("velocity")[rows], moment.column("position")[rows]
    among = np.zeros(moment.count, np.bool_)
    among[rows] = True
    moment.begin_part()
    at_touch(among)
    turned = rows[np.any(moment.column("velocity")[rows] != velocity, axis=1)]
    # Who was stopped stays; who was sent off goes as fast as the rule said.
    gained[turned] *= np.any(moment.column("velocity")[turned] != 0, axis=1)[:, None]
    displacement[turned] = (moment.column("velocity")[turned] + gained[turned] / 2) * (spans[0] if len(spans) == 1 else spans[turned][:, None])
    moment.column("velocity")[rows] += gained[rows]
    still = moment.doomed[rows] if moment.any_doomed else np.zeros(len(rows), np.bool_)
    if moment.particles.has("stuck"):
        still = still | (moment.column("stuck")[rows] > 0)
    still = rows[still]
    displacement[still], gained[still] = 0, 0
    solid.permitted[:, still] = 0
    put = rows[np.any(moment.column("position")[rows] != position, axis=1)]
    displacement[put] = 0


def _report(moment: Moment, obstacles: Obstacles, way: Way | Pushed, rows: NDArray[np.intp], new: NDArray[np.uint64]) -> None:
    """Note new contacts (`new`: masks of the shapes) of these rows, and write an event for each."""
    if len(rows):
        moment.column("contact_time")[rows] = moment.time
        moment.column("contact_count")[rows] += np.bitwise_count(new)
        moment.column("impact_speed")[rows] = way.impact[rows]
        if moment.particles.has("met_group"):
            moment.column("met_group")[rows] = -1
        if moment.particles.has("contact_shape"):
            moment.column("contact_shape")[rows] = obstacles.shapes[way.struck[rows]]
        shapes, spots = obstacles.shapes[way.struck[rows]], way.spots[rows]
        moment.log.add(Happening.CONTACT, moment, rows, shapes, value=way.impact[rows])
        left = spots[:, 6] * (moment.dt if moment.spans is None else moment.spans[rows])
        moment.log.touch(moment, rows, moment.time - left, shapes, spots[:, :3], spots[:, 3:6], way.impact[rows])


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

    Whoever rests between two surfaces is pressed against one and lies on the other without being stopped by it. Whoever goes through a shape touches
    it as long as it is in it.
    """
    still = np.zeros(len(lost), np.uint64)
    candidates = lost.nonzero()[0]
    for slot, bit in enumerate(obstacles.bits if len(candidates) else ()):
        rows = candidates[((lost[candidates] & bit) != 0) & (permitted[slot, candidates] != 0)]
        if len(rows):
            radius = moment.column("radius")[rows]
            reach = radius * np.float32(1.005) + np.float32(BARELY_OFF)
            pose, places = moment.end.poses[int(obstacles.shapes[slot])], moment.column("position")[rows]
            _places, distances = pose.closest(places, float(reach.max()) * 1.01)
            on_it = distances <= reach
            passing = permitted[slot, rows] == contact_kernel.PASSES
            if passing.any():
                on_it |= passing & pose.inside(places)
            still[rows[on_it]] |= bit
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
