"""Who is far out, what threw them there, and a guard that would be large enough for all others."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from hailridge.core.looking.observe import row_of
from hailridge.core.scene.buffers import Buffers
from hailridge.core.scene.moment import Moment
from hailridge.core.scene.ready import ReadyRule
from hailridge.core.state.events import Happening
from hailridge.core.state.particles import lengths

FAR = 8.0
"""So many times the usual distance from the middle of all is far out."""

SPREAD = 95.0
"""What percentage of all is nearer than the usual distance."""

AT_LEAST = 2.0
"""Metres within which nobody is far out."""

MOST = 12
"""Strays that are told one by one, the furthest first."""

SHARE = 0.4
"""A push that gave at least that part of the throw is what threw."""

MOVING = {"velocity", "speed", "position"}
"""Attributes whose writing moves a particle."""

ROOM = 1.5
"""How much larger the guard is than what everybody but the strays needs."""


@dataclass
class Stray:
    """One that is far out: where (3,) m, how far from the middle (m); the frame within which it was thrown, its speeds before and after (m/s), and
    what threw it: the collection and id of a rule, source or shape, none where that is not known."""

    id: int
    place: list[float]
    distance: float
    frame: int
    before: float
    after: float
    collection: str | None
    item: str | None


@dataclass
class Strays:
    """Who is far out at a frame: how many, the furthest of them, and beyond what distance from the middle that is (m); the id and the distance of the
    very furthest, stray or not; the middle and the size (m) of a box round everybody else and what is drawn."""

    count: int
    found: list[Stray]
    beyond: float
    furthest: int | None
    furthest_distance: float
    middle: list[float]
    size: list[float]


def strays_of(moment: Moment, events: NDArray[Any], touches: NDArray[Any]) -> Strays:
    """Find them in a recorded frame, whose `past` is known; `events` and `touches` are those of the run."""
    places = moment.column("position").astype(np.float64)
    if not len(places):
        return Strays(0, [], AT_LEAST, None, 0.0, *_guard(moment, places))
    middle = np.median(places, axis=0)
    away = lengths(places - middle)
    # Where strays are many, the usual distance is that of the nearer half.
    usual = min(float(np.percentile(away, SPREAD)), 4 * float(np.median(away)))
    beyond = max(FAR * usual, AT_LEAST)
    rows = np.flatnonzero(away > beyond)
    rows = rows[np.argsort(-away[rows], kind="stable")]
    furthest = int(np.argmax(away))
    ids = moment.column("id")
    found = [Stray(int(ids[row]), places[row].round(3).tolist(), float(away[row]), moment.frame, 0.0, 0.0, None, None) for row in rows[:MOST]]
    _blame(moment, found, events, touches)
    near = np.ones(len(places), np.bool_)
    near[rows] = False
    return Strays(len(rows), found, beyond, int(ids[furthest]), float(away[furthest]), *_guard(moment, places[near]))


def _guard(moment: Moment, places: NDArray[np.float64]) -> tuple[list[float], list[float]]:
    """Middle and size of a box round places (k, 3) and round the shapes that are drawn, with room to spare."""
    corners = [places.min(axis=0), places.max(axis=0)] if len(places) else []
    for shape, pose in zip(moment.scene.shapes, moment.scene.poses, strict=True):
        if getattr(shape, "visible", False):
            corners += list(pose.box)
    if not corners:
        return [0.0, 0.0, 0.0], [10.0, 10.0, 10.0]
    low, high = np.min(corners, axis=0), np.max(corners, axis=0)
    size = np.maximum((high - low) * ROOM, 1.0)
    return np.round((low + high) / 2, 2).tolist(), np.round(size, 1).tolist()


def _blame(moment: Moment, strays: list[Stray], events: NDArray[Any], touches: NDArray[Any]) -> None:
    """Go back frame by frame and note for each the greatest change of its velocity; then ask what made that."""
    if not strays or moment.past is None:
        return
    left = {stray.id: stray for stray in strays}
    later = {stray.id: _velocity(moment, stray.id) for stray in strays}
    greatest = dict.fromkeys(left, -1.0)
    for number in range(moment.frame - 1, -2, -1):
        earlier = moment.past(number) if number >= 0 and left else None
        for name, stray in list(left.items()):
            after = later[name]
            before = None if earlier is None else _velocity(earlier, name)
            change = float(np.linalg.norm(after - (0 if before is None else before))) if after is not None else 0.0
            if change > greatest[name] and after is not None:
                greatest[name] = change
                stray.frame, stray.after = number + 1, float(np.linalg.norm(after))
                stray.before = 0.0 if before is None else float(np.linalg.norm(before))
            later[name] = before
            if before is None:
                del left[name]
        if not left:
            break
    for stray in strays:
        stray.collection, stray.item = _cause(moment, stray, greatest[stray.id], events, touches)


def _velocity(moment: Moment, particle: int) -> NDArray[np.float64] | None:
    row = row_of(moment.column("id"), particle) if moment.count else None
    return None if row is None else moment.column("velocity")[row].astype(np.float64)


def _cause(moment: Moment, stray: Stray, change: float, events: NDArray[Any], touches: NDArray[Any]) -> tuple[str | None, str | None]:
    """What changed its velocity so much within that frame: its birth, a push, a rule that sets it going, or a touch."""
    effect, past = moment.scene.effect, moment.past
    mine = events[(events["particle"] == stray.id) & (events["frame"] == stray.frame)]
    then = moment if stray.frame == moment.frame else past(stray.frame) if past is not None else None
    row = None if then is None else row_of(then.column("id"), stray.id)
    held = [] if then is None or row is None else [ready for ready in then.scene.rules if then.marked_turn(ready.bit)[row]]
    births = mine[mine["what"] == Happening.BIRTH]
    if len(births):
        # What was born within the frame may have been set going by a rule in the same.
        for ready in reversed(held):
            if _sets_going(ready):
                return "rules", str(ready.rule.id)
        collection = "rules" if births[0]["parent"] >= 0 else "sources"
        return collection, str(vars(effect)[collection][int(births[0]["item"])].id)
    before = past(stray.frame - 1) if past is not None and stray.frame > 0 else None
    row_before = None if before is None else row_of(before.column("id"), stray.id)
    if then is None or before is None or row is None or row_before is None:
        return None, None
    gave = {ready.rule.id: _given(before, ready, row_before) for ready in held if ready.does.push}
    most = max(gave, key=lambda name: gave[name], default=None)
    if most is not None and gave[most] >= SHARE * change:
        return "rules", str(most)
    for ready in reversed(held):
        if _sets_going(ready):
            return "rules", str(ready.rule.id)
    touched = touches[(touches["particle"] == stray.id) & (np.abs(touches["time"] - then.time) < 1.5 / effect.clock.frames_per_second)]
    if len(touched) and touched[-1]["shape"] >= 0:
        return "shapes", str(vars(effect.shapes[int(touched[-1]["shape"])])["id"])
    return ("rules", str(most)) if most is not None else (None, None)


def _sets_going(ready: ReadyRule) -> bool:
    """Whether a rule writes how somebody moves."""
    return any(getattr(action, "attribute", None) in MOVING for action in ready.does.change)


def _given(moment: Moment, ready: ReadyRule, row: int) -> float:
    """How much a rule's pushes change one particle's velocity within a frame, from how things are at a recorded moment (m/s)."""
    kept, span = moment.buffers, 1.0 / moment.scene.effect.clock.frames_per_second
    moment.buffers = Buffers()
    try:
        with np.errstate(all="ignore"):
            for action in ready.does.push:
                action.act(moment, np.array([row]))
        piles = moment.buffers.piles
        total = np.zeros(3)
        if "push" in piles:
            total += piles.each("push")[row]
        if "air" in piles:
            total += piles.each("air")[row]
        if "drag" in piles:
            total -= piles.each("drag")[row] * moment.column("velocity")[row]
        return float(np.linalg.norm(np.nan_to_num(total))) * span
    finally:
        moment.buffers = kept
