"""Shapes that change their form push out whom they come over, at their surface's own speed, and swallow nobody.

A step is taken in two parts for them: first the form changes around particles that stand still, then these move among forms that stand still. Each
part keeps everybody on the side where they are, so both together do.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from hailridge.core.kernels import passing, tree
from hailridge.core.kernels.contact import PASSES, SKIN, SMALLEST_RADIUS, SPOT
from hailridge.core.scene.bodies import Body
from hailridge.core.scene.moment import Moment
from hailridge.core.space.geometry import Geometry, Tree, weights_on
from hailridge.core.state.particles import lengths
from hailridge.core.step import mending
from hailridge.core.step.obstacles import Obstacles
from hailridge.core.step.solid import Solid

Places = NDArray[np.float64]


@dataclass
class Pushed:
    """Who was pushed by shapes that changed their form, and how.

    For n particles: touched, the masks of these shapes (n,) uint64; impact, the speed (m/s) at which the surface came at it (n,); struck, the slot of
    the fastest (n,), −1 for none; normals (n, 3).
    """

    touched: NDArray[np.uint64]
    impact: NDArray[np.float32]
    struck: NDArray[np.int16]
    normals: NDArray[np.float32]
    spots: NDArray[np.float32]
    """Of these touches, as `kernels.contact` tells them."""


def change_forms(moment: Moment, obstacles: Obstacles, solid: Solid, displacement: Any, gained: Any, spans: Any) -> Pushed | None:
    """Push out whom changing shapes come over: their places, velocities (m/s) and ways (m) in this step. None where no shape changes."""
    if not obstacles.deforming or moment.dt <= 0:
        return None
    count = moment.count
    pushed = Pushed(
        np.zeros(count, np.uint64), np.zeros(count, np.float32), np.full(count, -1, np.int16), np.zeros((count, 3), np.float32),
        np.zeros((count, SPOT), np.float32),
    )  # fmt: skip
    for shape, slot in obstacles.slots.items():
        if not moment.scene.plan.stage.list[shape].deforming:
            continue
        body = moment.body(shape)
        rows = np.flatnonzero((solid.permitted[slot] != 0) & (solid.permitted[slot] != PASSES))
        rows = rows[_near(moment, body, rows)]
        if len(rows):
            _push(moment, body, rows, slot, obstacles.bits[slot], solid, displacement, gained, spans, pushed)
    moment.answers.changed("position")
    return pushed


def _near(moment: Moment, body: Body, rows: NDArray[np.intp]) -> NDArray[np.bool_]:
    """Whose ball meets the box in which the shape changes, in its own space where it begins (k,)."""
    local = body.start.transform.inverse().points(moment.column("position")[rows])
    reach = (np.maximum(moment.column("radius")[rows], SMALLEST_RADIUS) / body.start.transform.scale)[:, None]
    (low, high), (low_then, high_then) = body.start.geometry.bounds, body.end.geometry.bounds
    return np.asarray(np.all((local > np.minimum(low, low_then) - reach) & (local < np.maximum(high, high_then) + reach), axis=1))


def _push(
    moment: Moment, body: Body, rows: NDArray[np.intp], slot: int, bit: np.uint64, solid: Solid, displacement: Any, gained: Any, spans: Any,
    pushed: Pushed,
) -> None:  # fmt: skip
    column, pose = moment.column, body.start.transform
    local = pose.inverse().points(column("position")[rows]).astype(np.float64)
    size = np.maximum(column("radius")[rows].astype(np.float64), SMALLEST_RADIUS) / pose.scale
    ball, then = body.start.geometry.ball, body.end.geometry.ball
    exact = ball is not None and then is not None
    met = _by_ball(local, size, ball, then) if exact else _by_faces(body.start.geometry, body.end.geometry, local, size)
    if met is None:
        return
    which, beside, normals, moved, rest = met
    rows, size = rows[which], size[which]
    place = pose.points(beside)
    normals = pose.vectors(normals)
    moved = pose.vectors(moved) * pose.scale
    own = moved / moment.dt
    if not body.end.still:
        own = own + (body.end.transform.points(beside) - place) / moment.dt
    span = spans if len(spans) == 1 else spans[rows]
    gain = gained[rows].astype(np.float64)
    before = column("velocity")[rows] - gain
    relative = before - own
    speed = np.einsum("ij,ij->i", relative, normals)
    onto = np.maximum(0.0, -speed)
    resting = onto <= 1.5 * np.maximum(0.0, -np.einsum("ij,ij->i", gain, normals)) + 1e-4
    # Whoever flies ahead of the surface is not touched by it, and comes to where it would have come to.
    ahead = speed >= 0
    put = place - column("position")[rows]
    every = len(solid.bounciness[slot]) == 1
    bounce = np.where(resting, 0.0, solid.bounciness[slot] if every else solid.bounciness[slot, rows])
    along = relative - speed[:, None] * normals
    slide = lengths(along)
    rubbed = np.maximum(0.0, 1.0 - solid.friction_of(slot, rows) * (1 + bounce) * onto / np.maximum(slide, 1e-12))
    after = along * rubbed[:, None] + np.where(speed < 0, bounce * onto, speed)[:, None] * normals + own
    column("position")[rows] = place
    column("velocity")[rows] = after + gain
    # The surface has gone its own way already, and has taken them along; off it they go for what was left of the step at the touch.
    led = np.einsum("ij,ij->i", moved, normals)
    span = np.asarray(span, np.float64).reshape(-1)
    off = np.maximum(np.einsum("ij,ij->i", after - own, normals), 0.0) * (1 - rest) * span
    change = (after - before) * span[:, None] - (led + off)[:, None] * normals
    displacement[rows] += np.where(ahead[:, None], -put, change)
    rows, normals, onto, rest = rows[~ahead], normals[~ahead], onto[~ahead], rest[~ahead]
    ground = place[~ahead] - normals * (size[~ahead] * pose.scale)[:, None]
    hard = (onto > pushed.impact[rows]) | (pushed.struck[rows] < 0)
    pushed.touched[rows] |= bit
    pushed.normals[rows[hard]], pushed.impact[rows[hard]], pushed.struck[rows[hard]] = normals[hard], onto[hard], slot
    pushed.spots[rows[hard]] = np.concatenate([ground, normals, rest[:, None]], axis=1)[hard]


Met = tuple[NDArray[np.intp], Places, Places, Places, NDArray[np.float64]]
"""Who is met (m,), where each is put, the direction off the surface there, and how far the surface has come there: (m, 3) each, in the shape's space;
and which part of the step was left then (m,)."""


def _by_ball(local: Places, size: Any, ball: Any, then: Any) -> Met | None:
    """By an exact ball that grows or shrinks."""
    centre, radius, radius_then = np.asarray(ball[0], np.float64), float(ball[1]), float(then[1])
    away = local - centre
    distance = lengths(away)
    outside = np.where(distance >= radius, 1.0, -1.0)
    which = np.flatnonzero((distance - radius_then) * outside < size)
    if not len(which):
        return None
    out = np.where(distance[which, None] > 1e-12, away[which] / np.maximum(distance[which], 1e-12)[:, None], [0.0, 1.0, 0.0])
    beside = np.maximum(radius_then + outside[which] * (size[which] + SKIN), 0.0)
    came = abs(radius_then - radius)
    deep = size[which] - (distance[which] - radius_then) * outside[which]
    return which, centre + out * beside[:, None], out * outside[which, None], out * (radius_then - radius), np.clip(deep / max(came, 1e-12), 0, 1)


def _by_faces(start: Geometry, end: Geometry, local: Places, size: Any) -> Met | None:
    """By triangles on their straight ways from one form to the next."""
    if len(start.faces) != len(end.faces) or not len(end.faces):
        return _by_side(start, end, local, size)
    known = end.tree
    (low, high), (low_then, high_then) = start.face_bounds, end.face_bounds
    bounds = tree.refit(np.minimum(low, low_then), np.maximum(high, high_then), known.order, known.links)
    corners, corners_then = start.corners[known.order], end.corners[known.order]
    faces, places, times = np.empty(len(local), np.int32), np.empty((len(local), 2)), np.empty(len(local))
    flat, flat_then = np.ascontiguousarray(corners.reshape(-1, 9)), np.ascontiguousarray(corners_then.reshape(-1, 9))
    local = np.ascontiguousarray(local)
    passing.passed_over(len(local), local, flat, flat_then, bounds, known.links, faces, places, times)
    over = np.flatnonzero(faces >= 0)
    nearest, distances, near_faces = end.closest_faces(local, float(size.max()) * 1.01)
    near = np.flatnonzero((near_faces >= 0) & (distances < size) & (faces < 0))
    if not len(over) and not len(near):
        return None
    on_it, before = _on(corners_then, faces[over], places[over]), _on(corners, faces[over], places[over])
    away = local[near] - nearest[near]
    weights = weights_on(corners_then[near_faces[near]], nearest[near])
    which = np.concatenate([over, near])
    front = _front(known, corners, near_faces[near], local[near])
    away = np.where(distances[near, None] > 1e-9, away / np.maximum(distances[near], 1e-12)[:, None], front)
    ways = np.concatenate([_front(known, corners, faces[over], local[over]), away])
    ground = np.concatenate([on_it, nearest[near]])
    moved = np.concatenate([on_it - before, nearest[near] - _on(corners, near_faces[near], weights)])
    beside = ground + ways * (size[which] + SKIN)[:, None]
    led = np.maximum(np.abs(np.einsum("ij,ij->i", moved, ways)), 1e-12)
    left = np.concatenate([1 - times[over], np.zeros(len(near))]) + np.concatenate([size[over], size[near] - distances[near]]) / led
    if end.has_inside:
        # Another part of the surface may have come between.
        inside = start.inside(local[which].astype(np.float32))
        wrong = np.flatnonzero(end.inside(beside.astype(np.float32)) != inside)
        if len(wrong):
            beside[wrong], ways[wrong] = mending.beside(end, beside[wrong], inside[wrong], size[which][wrong] + SKIN)
    return which, beside, ways, moved, np.clip(left, 0, 1)


def _by_side(start: Geometry, end: Geometry, local: Places, size: Any) -> Met | None:
    """By a form that is made of other triangles than before: whoever lies on its other side now is put back."""
    if not start.has_inside or not end.has_inside:
        return None
    inside = start.inside(local.astype(np.float32))
    which = np.flatnonzero(end.inside(local.astype(np.float32)) != inside)
    if not len(which):
        return None
    beside, ways = mending.beside(end, local[which], inside[which], size[which] + SKIN)
    return which, beside, ways, beside - local[which], np.zeros(len(which))


def _front(known: Tree, corners: Places, faces: NDArray[np.int32], local: Places) -> Places:
    """Normals of triangles (k,) as they are now, on the side on which each place (k, 3) was before they came."""
    first = corners[faces]
    was = np.cross(first[:, 1] - first[:, 0], first[:, 2] - first[:, 0])
    side = np.where(np.einsum("ij,ij->i", local - first[:, 0], was) < 0, -1.0, 1.0)
    return known.triangles[faces, 9:12] * side[:, None]


def _on(corners: Places, faces: NDArray[np.int32], places: Any) -> Places:
    """Places (k, 2) on triangles (k,), in space: (k, 3)."""
    a, b, c = corners[faces, 0], corners[faces, 1], corners[faces, 2]
    return np.asarray(a + places[:, :1] * (b - a) + places[:, 1:] * (c - a))
