"""Motion, and contact on the way."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from hailridge.core.engine.obstacles import Obstacles
from hailridge.core.engine.rules import Tally, run_triggered
from hailridge.core.events import Happening
from hailridge.core.kernels import motion as motion_kernel
from hailridge.core.moment import PILES, Encounter, Moment
from hailridge.core.particles import as_indices

STRAY_LIMIT = 1e5
"""Metres from the origin at which a particle is lost: a hundred kilometres are no effect any more."""

BARELY_OFF = 1e-4
"""Metres between a particle and what it touched a step ago, within which it still touches it; a two-hundredth of its radius is added."""


def move_and_touch(moment: Moment, obstacles: Obstacles) -> None:
    """Advance velocities and positions through the step; particles bounce off what their rules say on the way."""
    count = moment.count
    if count == 0:
        return
    spans = np.array([moment.dt], np.float32) if moment.spans is None else moment.spans
    velocity, position = moment.column("velocity"), moment.column("position")
    displacement, gained = np.empty((count, 3), np.float32), np.empty((count, 3), np.float32)
    piles = {name: moment.buffers.piles.get(name, np.zeros(0 if width == 1 else (0, width), np.float32)) for name, width in PILES.items()}
    if len(piles["drag"]) and not len(piles["air"]):
        piles["air"] = np.zeros((count, 3), np.float32)
    motion_kernel.move(count, velocity, *(piles[name] for name in PILES), spans, displacement, gained)
    if moment.particles.has("orientation"):
        motion_kernel.turn(count, moment.column("orientation"), moment.column("spin"), spans)
    if moment.buffers.encounters:
        _touch(moment, obstacles, spans, displacement, gained)
    else:
        position += displacement
        moment.column("touching")[:] = 0
    moment.begin_part()


def _touch(moment: Moment, obstacles: Obstacles, spans: Any, displacement: Any, gained: Any) -> None:
    count, kinds = moment.count, len(obstacles.slots)
    encounters: list[Encounter] = moment.buffers.encounters
    permitted = np.zeros((kinds, count), np.uint8)
    varied = any(np.ndim(e.bounciness) or np.ndim(e.friction) or isinstance(e.rows, np.ndarray) for e in encounters)
    bounciness = np.zeros((kinds, count if varied else 1), np.float32)
    friction = np.zeros((kinds, count if varied else 1), np.float32)
    for encounter in encounters:
        slot = obstacles.slots[encounter.shape]
        permitted[slot, encounter.rows] = 1
        where = encounter.rows if varied else slice(None)
        bounciness[slot, where] = encounter.bounciness
        friction[slot, where] = encounter.friction
    before = moment.column("touching").copy()
    touched, new, struck, impact, normals = obstacles.meet(
        moment, moment.column("position"), moment.column("velocity"), displacement, gained, moment.column("radius"), spans, permitted,
        np.clip(bounciness, 0, 1), friction, before,
    )  # fmt: skip
    moment.surface = normals
    moment.column("touching")[:] = touched | _still_touched(moment, obstacles, permitted, before & ~touched)
    rows = np.flatnonzero(new)
    if len(rows):
        moment.column("contact_time")[rows] = moment.time
        moment.column("contact_count")[rows] += np.bitwise_count(new[rows])
        moment.column("impact_speed")[rows] = impact[rows]
        moment.log.add(Happening.CONTACT, moment, rows, obstacles.shapes[struck[rows]], value=impact[rows])


def _still_touched(moment: Moment, obstacles: Obstacles, permitted: Any, lost: NDArray[np.uint64]) -> NDArray[np.uint64]:
    """Of what particles touched a step ago and the sweep did not meet again (`lost`, masks), what they have barely come off.

    Whoever rests between two surfaces is pressed against one and lies on the other without being stopped by it.
    """
    still = np.zeros(len(lost), np.uint64)
    for slot, bit in enumerate(obstacles.bits):
        rows = np.flatnonzero((lost & bit) & (permitted[slot] != 0) * bit)
        if len(rows):
            radius = moment.column("radius")[rows]
            reach = radius * np.float32(1.005) + np.float32(BARELY_OFF)
            _places, distances = obstacles.bodies[slot].end.closest(moment.column("position")[rows], float(reach.max()) * 1.01)
            still[rows[distances <= reach]] |= bit
    return still


def run_contact_rules(moment: Moment, tally: Tally) -> None:
    """Rules set off by contact, for those who have a new contact in this step."""
    if any(ready.rule.trigger == "contact" for ready in moment.scene.rules):
        run_triggered(moment, "contact", moment.column("contact_time") == np.float32(moment.time), tally)


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


def _last_rule(moment: Moment, lost: NDArray[np.intp]) -> tuple[str, int] | None:
    """The rule that most probably sent them off: the last enabled one that holds for the first of them."""
    for ready in reversed(moment.scene.rules):
        if ready.rule.trigger in ("each", "once", "becomes") and (not ready.remembers or moment.column(ready.held)[lost[0]]):
            return ("rules", ready.index)
    return None
