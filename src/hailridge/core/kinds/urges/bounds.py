"""Urges about where to be: avoid obstacles, turn back at an edge, keep to a height, wander."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from hailridge.core.kernels import noise, steering
from hailridge.core.kinds.urges.base import RESPONSE, Flock, Steering, directions
from hailridge.core.scene.sensing import nearest_of_surface
from hailridge.core.state.particles import Array
from hailridge.model import fields
from hailridge.model.effect import ItemSeed
from hailridge.model.parts import Amount

SLOPE = np.float32(0.05)
"""Metres over which the slope of a field is felt."""


class Avoid(Steering):
    title: ClassVar[str] = "avoid an obstacle"
    also: ClassVar[str] = "collision wall shape around past"
    rank: ClassVar[int] = 9
    sentence: ClassVar[str] = "avoid {shape} from {distance} on[, weighing {weight}]"
    category: ClassVar[str] = "Where to be"
    help: ClassVar[str] = (
        "Feels a surface ahead and turns aside, past it rather than back, the harder the nearer. It is no wall: make the shape solid, too, where "
        "nobody may get through. Best at the top of the list."
    )

    kind: Literal["avoid"] = "avoid"
    shape: str = fields.reference("shape", label="Obstacle")
    distance: float = fields.number(1.0, unit="m", low=1e-3, high=1e4, soft=(0.1, 5), label="Distance")

    def wants(self, flock: Flock) -> Array:
        pose = flock.moment.scene.pose(self.shape)
        found = nearest_of_surface(pose, flock.places)
        far = np.linalg.norm(found[:, :3] - flock.places, axis=1)
        away = -found[:, 3:6]
        if pose.geometry.has_inside:
            within = pose.inside(flock.places)
            away[within] *= -1
            far = np.where(within, 0, far)
        onward = np.einsum("ij,ij->i", flock.headings, away)
        aside = directions(away - flock.headings * onward[:, None])
        # Straight on there is no side: then it turns up, or across where it flies upward itself.
        straight = (np.abs(aside).sum(axis=1) < 1e-6) & (onward < 0)
        aside[straight] = directions(np.cross(flock.headings[straight], np.array([0.37, 0.2, 0.91], np.float32)))
        near = np.maximum(1 - far / np.float32(self.distance), 0)
        coming = (onward < 0) | (far <= 0)
        way = directions(aside + away * near[:, None])
        return np.asarray(way * (flock.force * near * coming)[:, None], np.float32)


class StayWithin(Steering):
    title: ClassVar[str] = "stay within a shape"
    also: ClassVar[str] = "bounds edge turn back inside contain"
    rank: ClassVar[int] = 10
    sentence: ClassVar[str] = "stay within {shape}[, looking {ahead} ahead][, weighing {weight}]"
    category: ClassVar[str] = "Where to be"
    help: ClassVar[str] = "Looks where it will be in a moment; where that is outside of the shape, it turns toward the shape's centre."

    kind: Literal["stay_within"] = "stay_within"
    shape: str = fields.reference("shape", label="Shape")
    ahead: float = fields.number(0.6, unit="s", low=0, high=100, soft=(0.1, 3), label="Looking ahead")

    def wants(self, flock: Flock) -> Array:
        out = ~flock.moment.scene.pose(self.shape).inside(flock.ahead(self.ahead))
        way = flock.moment.scene.frame(self.shape).translation.astype(np.float32) - flock.places
        return flock.toward(directions(way) * flock.pace[:, None]) * out[:, None]


class StayInField(Steering):
    title: ClassVar[str] = "stay in a field"
    also: ClassVar[str] = "bounds edge turn back region climb"
    rank: ClassVar[int] = 11
    sentence: ClassVar[str] = "stay in {field}[, looking {ahead} ahead][, weighing {weight}]"
    category: ClassVar[str] = "Where to be"
    help: ClassVar[str] = (
        "Where the field will be weaker than a half in a moment, it turns to where the field grows; where it is nothing at all, nothing is felt."
    )

    kind: Literal["stay_in_field"] = "stay_in_field"
    field: str = fields.reference("field", label="Field")
    ahead: float = fields.number(0.6, unit="s", low=0, high=100, soft=(0.1, 3), label="Looking ahead")

    def wants(self, flock: Flock) -> Array:
        place, scene, time = flock.ahead(self.ahead), flock.moment.scene, flock.moment.time
        weak = scene.field_strength(self.field, place, time) < 0.5
        slope = np.zeros((flock.number, 3), np.float32)
        rows = np.flatnonzero(weak)
        for axis in range(3):
            step = np.zeros(3, np.float32)
            step[axis] = SLOPE
            further, before = (scene.field_strength(self.field, place[rows] + step * side, time) for side in (1, -1))
            slope[rows, axis] = further - before
        felt = weak & (np.abs(slope).sum(axis=1) > 1e-6)
        wanted: Array = flock.toward(directions(slope) * flock.pace[:, None]) * felt[:, None]
        return wanted


class KeepHeight(Steering):
    title: ClassVar[str] = "keep to a height"
    also: ClassVar[str] = "altitude level up down hover"
    rank: ClassVar[int] = 12
    sentence: ClassVar[str] = "keep to a height of {height}[, weighing {weight}]"
    category: ClassVar[str] = "Where to be"
    help: ClassVar[str] = "Up or down to a height above the middle of the scene, along the flock's *up*, without swinging."

    kind: Literal["keep_height"] = "keep_height"
    height: Amount = fields.amount(2.0, unit="m", low=-1e4, high=1e4, soft=(0, 10), label="Height")

    def wants(self, flock: Flock) -> Array:
        height = np.asarray(self.height.give(flock.moment, flock.rows), np.float32)
        rate = np.float32(1.5)
        lacking = (height - flock.places @ flock.up) * rate * rate - 2 * rate * (flock.velocities @ flock.up)
        return np.asarray(flock.up[None] * lacking[:, None], np.float32)


class Wander(Steering):
    title: ClassVar[str] = "wander"
    also: ClassVar[str] = "random free roam lively noise"
    rank: ClassVar[int] = 13
    sentence: ClassVar[str] = "wander, turning {change}[, weighing {weight}]"
    category: ClassVar[str] = "Where to be"
    help: ClassVar[str] = (
        "Turns now this way, now that, smoothly, each by itself, and keeps its pace. At the end of the list it takes what force is left."
    )

    kind: Literal["wander"] = "wander"
    change: float = fields.number(0.8, unit="1/s", low=0, high=100, soft=(0.1, 4), label="Turning")
    seed: ItemSeed = fields.number(0, low=0, high=2**31 - 1, whole=True, label="Seed")

    def wants(self, flock: Flock) -> Array:
        moment = flock.moment
        ids = np.ascontiguousarray(moment.read("id", flock.rows), np.int32)
        places = np.empty((flock.number, 3), np.float32)
        # Each has a line of its own through the noise, along which time runs.
        steering.lines(flock.number, ids, np.float32(moment.time * self.change), places)
        out = np.empty((flock.number, 4), np.float32)
        noise.noise(flock.number, places, np.uint32((self.item ^ moment.scene.seed) & 0xFFFFFF), out)
        out *= np.float32(0.8)
        wanted = np.empty((flock.number, 3), np.float32)
        steering.wander(flock.number, out, flock.headings, flock.velocities, flock.pace, flock.force, RESPONSE, wanted)
        return wanted
