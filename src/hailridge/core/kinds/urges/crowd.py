"""Urges about those around: keep apart, match, gather."""

from __future__ import annotations

from collections.abc import Iterator
from typing import ClassVar, Literal

import numpy as np

from hailridge.core.kernels import around as kernel
from hailridge.core.kinds.urges.base import Flock, Steering, directions
from hailridge.core.scene.around import LIST, MEAN, WAYS, around
from hailridge.core.state.particles import Array, as_indices, lengths, taken
from hailridge.model import fields

SOME = 16
"""How many of the nearest are kept apart from where the neighbourhood finds any number."""


class KeepApart(Steering):
    title: ClassVar[str] = "keep apart"
    also: ClassVar[str] = "separation avoid others spread distance space"
    rank: ClassVar[int] = 0
    sentence: ClassVar[str] = "keep apart by {distance}[, weighing {weight}]"
    category: ClassVar[str] = "Those around"
    help: ClassVar[str] = (
        "Away from those who are nearer than this: with all its force from one in the same place, with none at the distance. Above all others in the "
        "list, it keeps a flock from clumping; a flock that ignores its goal has the goal below it."
    )

    kind: Literal["keep_apart"] = "keep_apart"
    distance: float = fields.number(0.4, unit="m", low=1e-3, high=1e4, soft=(0.05, 3), label="Distance")

    def asks(self) -> Iterator[str]:
        yield f"{LIST} {SOME}"

    def wants(self, flock: Flock) -> Array:
        answers = around(flock.moment, flock.neighbourhood, f"{LIST} {SOME}")
        rows, apart = taken(answers.rows, flock.rows), taken(answers.distances, flock.rows)
        total = np.empty((flock.number, 3), np.float32)
        kernel.kept_apart(
            flock.number, np.ascontiguousarray(rows), np.ascontiguousarray(apart), as_indices(flock.rows).astype(np.int64, copy=False), flock.places,
            np.ascontiguousarray(flock.moment.places_before()), np.float32(self.distance), total,
        )  # fmt: skip
        size = lengths(total)
        return np.asarray(total * (flock.force / np.maximum(size, 1))[:, None], np.float32)


class Match(Steering):
    title: ClassVar[str] = "match"
    also: ClassVar[str] = "alignment same direction velocity parallel others"
    rank: ClassVar[int] = 1
    sentence: ClassVar[str] = "match those around[, weighing {weight}]"
    category: ClassVar[str] = "Those around"
    help: ClassVar[str] = "Turns the way in which those fly whom its neighbourhood finds, on average, at its own pace: they turn as one."

    kind: Literal["match"] = "match"

    def asks(self) -> Iterator[str]:
        yield f"{MEAN} velocity"

    def wants(self, flock: Flock) -> Array:
        answers = around(flock.moment, flock.neighbourhood, f"{MEAN} velocity")
        found = taken(answers.counts, flock.rows) > 0
        way = directions(taken(answers.means["velocity"], flock.rows))
        # At its own pace, not at theirs: the mean of many that fly this way and that is slow, and a flock would come to a halt.
        wanted: Array = flock.toward(way * flock.pace[:, None]) * found[:, None]
        return wanted


class Gather(Steering):
    title: ClassVar[str] = "gather"
    also: ClassVar[str] = "cohesion together middle centre group"
    rank: ClassVar[int] = 2
    sentence: ClassVar[str] = "gather with those around[, weighing {weight}]"
    category: ClassVar[str] = "Those around"
    help: ClassVar[str] = (
        "Toward the middle of those whom its neighbourhood finds: with all its force at the edge of its reach, with none in the middle."
    )

    kind: Literal["gather"] = "gather"

    def asks(self) -> Iterator[str]:
        yield WAYS

    def wants(self, flock: Flock) -> Array:
        answers = around(flock.moment, flock.neighbourhood, WAYS)
        reach = np.maximum(taken(answers.reach, flock.rows), 1e-6)
        return np.asarray(taken(answers.ways, flock.rows) * (flock.force / reach)[:, None], np.float32)
