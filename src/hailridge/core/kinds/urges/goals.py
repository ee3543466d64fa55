"""Urges about goals: seek, arrive, flee, pursue, follow a path, follow a leader."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from hailridge.core.kinds.urges.base import Flock, Steering, directions
from hailridge.core.scene.near import nearest_of
from hailridge.core.state.particles import Array, lengths
from hailridge.model import fields

NEAR = np.float32(0.35)
"""Seconds at its pace within which a goal is near."""

PASSING, STUCK = np.float32(0.7), np.float32(0.4)
"""Parts of its pace: whoever leaves a goal faster than that flies past it, whoever is slower than that gets nowhere."""

ANYWHERE = 1e4
"""Metres within which those of a group are looked for."""


def to_centre(flock: Flock, shape: str) -> tuple[Array, Array]:
    """Ways to the centre of a shape (k, 3) m, and how far that is (k,) m."""
    way = flock.moment.scene.frame(shape).translation.astype(np.float32) - flock.places
    return way, lengths(way)


class Seek(Steering):
    title: ClassVar[str] = "seek"
    also: ClassVar[str] = "goal target toward go fly"
    rank: ClassVar[int] = 3
    sentence: ClassVar[str] = "seek {shape}[, weighing {weight}]"
    category: ClassVar[str] = "Goals"
    help: ClassVar[str] = (
        "Toward the centre of a shape at full pace. It flies past and turns round, again and again; to come to rest there, use *arrive*. Move the "
        "shape, and all of them follow."
    )

    kind: Literal["seek"] = "seek"
    shape: str = fields.reference("shape", label="Goal")

    def wants(self, flock: Flock) -> Array:
        way, far = to_centre(flock, self.shape)
        wanted = flock.toward(directions(way) * flock.pace[:, None])
        self._tell(flock, way, far)
        return wanted

    def _tell(self, flock: Flock, way: Array, far: Array) -> None:
        """Keep account of those near the goal: who flies past it, and who gets nowhere."""
        near = np.flatnonzero(far < flock.pace * NEAR)
        if len(near):
            speed, pace = lengths(flock.velocities[near]), flock.pace[near]
            leaving = (np.einsum("ij,ij->i", flock.velocities[near], way[near]) < 0) & (speed > PASSING * pace)
            weak = (speed < STUCK * pace) & (flock.force[near] < pace)
            flock.moment.note_goal(self.address, len(near), int(np.count_nonzero(leaving)), int(np.count_nonzero(weak)))


class Arrive(Steering):
    title: ClassVar[str] = "arrive"
    also: ClassVar[str] = "goal target stop slow land rest"
    rank: ClassVar[int] = 4
    sentence: ClassVar[str] = "arrive at {shape}, slowing down within {slowing}[, weighing {weight}]"
    category: ClassVar[str] = "Goals"
    help: ClassVar[str] = "As *seek*, but slower and slower within a distance, so that it comes to rest there and does not overshoot."

    kind: Literal["arrive"] = "arrive"
    shape: str = fields.reference("shape", label="Goal")
    slowing: float = fields.number(1.5, unit="m", low=1e-3, high=1e4, soft=(0.1, 10), label="Slowing down within")

    def wants(self, flock: Flock) -> Array:
        way, far = to_centre(flock, self.shape)
        return flock.toward(directions(way) * (flock.pace * np.minimum(far / np.float32(self.slowing), 1))[:, None])


class Flee(Steering):
    title: ClassVar[str] = "flee"
    also: ClassVar[str] = "avoid escape away fear scatter"
    rank: ClassVar[int] = 5
    sentence: ClassVar[str] = "flee {shape} within {within}[, weighing {weight}]"
    category: ClassVar[str] = "Goals"
    help: ClassVar[str] = "Away from the centre of a shape at full pace, as long as it is nearer than this."

    kind: Literal["flee"] = "flee"
    shape: str = fields.reference("shape", label="From")
    within: float = fields.number(2.0, unit="m", low=1e-3, high=1e4, soft=(0.1, 10), label="Within")

    def wants(self, flock: Flock) -> Array:
        way, far = to_centre(flock, self.shape)
        return flock.toward(-directions(way) * flock.pace[:, None]) * (far < self.within)[:, None]


class Pursue(Steering):
    title: ClassVar[str] = "pursue"
    also: ClassVar[str] = "hunt chase catch prey group"
    rank: ClassVar[int] = 6
    sentence: ClassVar[str] = "pursue the nearest of {who}[, weighing {weight}]"
    category: ClassVar[str] = "Goals"
    help: ClassVar[str] = "Toward the nearest particle of some groups, to where it will be by the time one gets there."

    kind: Literal["pursue"] = "pursue"
    who: list[str] = fields.reference("group", label="Whom", many="everyone else")

    def wants(self, flock: Flock) -> Array:
        found, apart = nearest_of(flock.moment, flock.rows, ANYWHERE, self.who, 1)
        there, rows = found[:, 0] >= 0, np.maximum(found[:, 0], 0)
        time = np.where(there, apart[:, 0], 0) / np.maximum(flock.pace, 1e-3)
        goal = flock.moment.places_before().take(rows, axis=0) + flock.moment.column("velocity").take(rows, axis=0) * np.minimum(time, 2)[:, None]
        return flock.toward(directions(goal - flock.places) * flock.pace[:, None]) * there[:, None]


class FollowPath(Steering):
    title: ClassVar[str] = "follow a path"
    also: ClassVar[str] = "line road track along way"
    rank: ClassVar[int] = 7
    sentence: ClassVar[str] = "follow {shape} within {within}[, looking {ahead} ahead][, weighing {weight}]"
    category: ClassVar[str] = "Goals"
    help: ClassVar[str] = (
        "Looks where it will be in a moment; where that is further from the path than this, it turns toward the place of the path that is nearest to "
        "there. Inside, it goes as it likes."
    )

    kind: Literal["follow_path"] = "follow_path"
    shape: str = fields.reference("shape", label="Path")
    within: float = fields.number(0.5, unit="m", low=0, high=1e4, soft=(0.05, 5), label="Within")
    ahead: float = fields.number(0.5, unit="s", low=0, high=100, soft=(0.1, 3), label="Looking ahead")

    def wants(self, flock: Flock) -> Array:
        place = flock.ahead(self.ahead)
        nearest, far = flock.moment.scene.pose(self.shape).closest(place)
        wanted = directions(nearest.astype(np.float32) - flock.places) * flock.pace[:, None]
        return flock.toward(wanted) * (far > self.within)[:, None]


class FollowLeader(Steering):
    title: ClassVar[str] = "follow a leader"
    also: ClassVar[str] = "behind chief guide group"
    rank: ClassVar[int] = 8
    sentence: ClassVar[str] = "follow the nearest of {who}, {behind} behind[, weighing {weight}]"
    category: ClassVar[str] = "Goals"
    help: ClassVar[str] = "Arrives at a place behind the nearest particle of some groups, and stays there as that moves on."

    kind: Literal["follow_leader"] = "follow_leader"
    who: list[str] = fields.reference("group", label="Whom", many="everyone else")
    behind: float = fields.number(0.6, unit="m", low=0, high=1e4, soft=(0.1, 5), label="Behind")

    def wants(self, flock: Flock) -> Array:
        found, _apart = nearest_of(flock.moment, flock.rows, ANYWHERE, self.who, 1)
        there, rows = found[:, 0] >= 0, np.maximum(found[:, 0], 0)
        motion = flock.moment.column("velocity").take(rows, axis=0)
        goal = flock.moment.places_before().take(rows, axis=0) - directions(motion) * np.float32(self.behind)
        way = goal - flock.places
        slow = np.minimum(lengths(way) / np.float32(max(2 * self.behind, 0.2)), 1)
        return flock.toward(motion * (1 - slow)[:, None] + directions(way) * (flock.pace * slow)[:, None]) * there[:, None]
