"""Parts 4 and 5 of a step: motion, and contact on the way."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from hailridge.core.engine.rules import Tally, concerned, narrowed, run_triggered
from hailridge.core.events import Happening
from hailridge.core.kernels import contact as contact_kernel
from hailridge.core.kernels import motion as motion_kernel
from hailridge.core.moment import PILES, Encounter, Moment
from hailridge.core.particles import as_indices, number_of

STRAY_LIMIT = 1e5
"""Metres from the origin at which a particle is lost: a hundred kilometres are no effect any more."""


class Obstacles:
    """The trees of all shapes that some rule makes solid, joined so that one kernel call meets them all."""

    def __init__(self, moment: Moment) -> None:
        self.scene = scene = moment.scene
        named = {action.shape for ready in scene.rules for action in ready.contacts if action.phase == "contact"}  # type: ignore[attr-defined]
        self.slots = {scene.shape_index[shape]: slot for slot, shape in enumerate(sorted(named, key=lambda name: scene.shape_index[name]))}
        self.shapes = np.array(list(self.slots), np.int16)
        self.bodies = [scene.bodies.list[shape] for shape in self.slots]
        self.table = np.zeros((len(self.slots), 5), np.float64)
        self.motion = np.zeros((len(self.slots), 50), np.float64)
        self._join()

    def follow(self) -> None:
        """Take over where shapes have moved and how they have changed in this step."""
        if any(body.deforming for body in self.bodies):
            self._join()
        for slot, body in enumerate(self.bodies):
            if not body.end.still:
                start, end = body.start.transform, body.end.transform
                self.motion[slot] = np.concatenate([[1.0, end.scale], start.inverse().rows(), end.inverse().rows(), start.rows(), end.rows()])

    def _join(self) -> None:
        triangles, bounds, links = [np.empty((0, 13))], [np.empty((0, 6))], [np.empty((0, 2), np.int32)]
        nodes = faces = 0
        for slot, body in enumerate(self.bodies):
            geometry = body.end.world if body.end.still else body.end.geometry
            if geometry.ball is not None:
                centre, radius = geometry.ball
                self.table[slot] = [-1, *centre, radius]
                continue
            if len(geometry.faces) == 0:
                # Nothing to touch: a ball of no size, far outside of everything.
                self.table[slot] = [-1, 0, -1e9, 0, 0]
                continue
            tree = geometry.tree
            inner = tree.links[:, :1] >= 0
            shifted = np.where(inner, tree.links + nodes, tree.links - np.array([[faces, 0]], np.int32))
            self.table[slot] = [nodes, 0, 0, 0, 0]
            triangles.append(tree.triangles)
            bounds.append(tree.bounds)
            links.append(shifted.astype(np.int32))
            nodes += len(tree.bounds)
            faces += len(tree.triangles)
        self.triangles = np.ascontiguousarray(np.concatenate(triangles))
        self.bounds = np.ascontiguousarray(np.concatenate(bounds))
        self.links = np.ascontiguousarray(np.concatenate(links))


def move_and_touch(moment: Moment, obstacles: Obstacles, spans: NDArray[np.float32] | None, tally: Tally) -> None:
    """Advance velocities and positions through the step; particles bounce off what their rules say on the way."""
    count = moment.count
    if count == 0:
        return
    spans = _for_all(np.array([moment.dt], np.float32) if spans is None else spans, count, moment.dt)
    velocity, position = moment.column("velocity"), moment.column("position")
    displacement, gained = np.empty((count, 3), np.float32), np.empty((count, 3), np.float32)
    piles = {name: _padded(moment, name) for name in PILES}
    if len(piles["drag"]) and not len(piles["air"]):
        piles["air"] = np.zeros((count, 3), np.float32)
    motion_kernel.move(count, velocity, *(piles[name] for name in PILES), spans, displacement, gained)
    if moment.particles.has("orientation"):
        motion_kernel.turn(count, moment.column("orientation"), moment.column("spin"), spans)
    encounters = _encounters(moment, tally)
    if encounters:
        _touch(moment, obstacles, encounters, spans, displacement, gained)
    else:
        position += displacement
        moment.column("touching")[:] = -1


def _for_all(spans: NDArray[np.float32], count: int, dt: float) -> NDArray[np.float32]:
    # Children that appeared after the sources have the whole step before them.
    return spans if len(spans) in (1, count) else np.concatenate([spans, np.full(count - len(spans), dt, np.float32)])


def _padded(moment: Moment, name: str) -> Any:
    """A pile with a row for each particle, children of this step included; empty where nobody used it."""
    pile, width, count = moment.buffers.piles.get(name), PILES[name], moment.count
    if pile is None:
        return np.zeros(0 if width == 1 else (0, width), np.float32)
    if len(pile) == count:
        return pile
    return np.concatenate([pile, np.zeros((count - len(pile), *pile.shape[1:]), np.float32)])


def _encounters(moment: Moment, tally: Tally) -> list[Encounter]:
    """Ask the contact actions of all rules now, so that children of this step are caught too."""
    for ready in moment.scene.rules:
        if not ready.contacts or ready.rule.trigger != "each":
            continue
        rows = concerned(moment, ready)
        if number_of(rows) == 0:
            continue
        looked = number_of(rows)
        if ready.rule.condition is not None:
            rows = narrowed(rows, np.asarray(ready.rule.condition.holds(moment, rows), np.bool_))
        if not ready.actions:
            tally.note(ready.index, looked, number_of(rows), number_of(rows), False)
        for action in ready.contacts:
            action.act(moment, rows)
    return moment.buffers.encounters


def _touch(moment: Moment, obstacles: Obstacles, encounters: list[Encounter], spans: Any, displacement: Any, gained: Any) -> None:
    count, kinds = moment.count, len(obstacles.slots)
    obstacles.follow()
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
    touched, impact, normals = np.empty(count, np.int16), np.empty(count, np.float32), np.zeros((count, 3), np.float32)
    contact_kernel.resolve(
        count, moment.column("position"), moment.column("velocity"), displacement, gained, moment.column("radius"), spans, permitted,
        np.clip(bounciness, 0, 1), friction, obstacles.table, obstacles.motion, np.float64(moment.dt), obstacles.triangles, obstacles.bounds,
        obstacles.links, touched, impact, normals,
    )  # fmt: skip
    _remember(moment, obstacles, touched, impact, normals)


def _remember(moment: Moment, obstacles: Obstacles, touched: Any, impact: Any, normals: Any) -> None:
    """Write what was touched. A contact is new when the particle did not touch that shape a step ago, or comes down on it again."""
    touching = moment.column("touching")
    now = np.where(touched >= 0, obstacles.shapes[touched], np.int16(-1)) if len(obstacles.shapes) else touched
    resting = impact <= np.float32(0.05 + 2.0 * 9.81 * moment.dt)
    new = (now >= 0) & ((now != touching) | ~resting)
    touching[:] = now
    moment.surface = normals
    struck = np.flatnonzero(new)
    if len(struck):
        moment.column("contact_time")[struck] = moment.time
        moment.column("contact_count")[struck] += 1
        moment.column("impact_speed")[struck] = impact[struck]
        moment.log.add(Happening.CONTACT, moment, struck, now[struck], value=impact[struck])


def run_contact_rules(moment: Moment, tally: Tally) -> None:
    """Rules set off by contact, for those whose contact is of this step."""
    if not any(ready.rule.trigger == "contact" for ready in moment.scene.rules):
        return
    new = moment.column("contact_time") == np.float32(moment.time)
    run_triggered(moment, "contact", new & (moment.column("touching") >= 0), tally)


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
