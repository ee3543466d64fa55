"""Sticking: where on a shape each stuck particle is, kept relative to it, and found again wherever the shape is and whatever became of its form.

On a shape that keeps its form a place is kept in the shape's own space. On one whose form changes it is kept on its triangle: two barycentric numbers
and the height above it; on a ball the direction and the height.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np
from numpy.typing import NDArray

from hailridge.core.scene.bodies import Body, Pose
from hailridge.core.scene.moment import Moment
from hailridge.core.space.geometry import Geometry, weights_on
from hailridge.core.state.orientation import from_matrices, product, turned_back
from hailridge.core.state.particles import touching_bit

RIGID, ON_BALL = -1, -2
"""In place of a triangle: kept in the shape's own space; kept by the direction from a ball's centre."""

BARELY = 1e-3
"""Metres that even something of no size has to come off."""

COLUMNS = ("stuck", "stuck_face", "stuck_place", "stuck_turn")

HOLDS = ("stuck", "sliding")
"""Columns that tell which shape holds somebody: its index and one more; below 0 who was let go and has not come off yet."""


def held_rows(moment: Moment, name: str) -> NDArray[np.intp]:
    """Who is held (k,), by sticking or by sliding (one of `HOLDS`)."""
    return np.flatnonzero(moment.column(name) > 0) if moment.particles.has(name) else np.zeros(0, np.intp)


def by_shape(moment: Moment, name: str, rows: NDArray[np.intp]) -> Iterator[tuple[int, NDArray[np.intp]]]:
    """The index of each shape that holds some of these rows, or held them until they were let go, with which those are."""
    shapes = np.abs(moment.column(name)[rows].astype(np.int64)) - 1 if len(rows) else rows
    for shape in np.unique(shapes):
        yield int(shape), rows[shapes == shape]


def attach(moment: Moment, body: Body, rows: NDArray[np.intp], shares: NDArray[np.float64], sunk: Any) -> None:
    """Stick particles (k,) to the surface of a shape that they touch, each its radius off it, less what it is `sunk` in, (k,) or one for all (m).

    `shares` (k,): which part of the step has passed for each, since the shape moves meanwhile.
    """
    local = body.inward(moment.column("position")[rows], shares)
    nearest, normals, heights = body.end.geometry.surface(local.astype(np.float32))
    off = np.abs(heights)[:, None]
    away = np.where(off > 1e-9, (local - nearest) / np.maximum(off, 1e-9), normals)
    apart = (moment.column("radius")[rows] - np.asarray(sunk, np.float64)) / body.end.transform.scale
    faces, kept = _kept(moment, body, nearest + away * apart[:, None], body.end.geometry)
    column = moment.column
    column("stuck")[rows] = body.index + 1
    column("stuck_face")[rows] = faces
    column("stuck_place")[rows] = kept
    column("touching")[rows] |= touching_bit(body.index)
    if moment.particles.has("orientation"):
        # What the shape turns in what is left of this step is not made up for.
        column("stuck_turn")[rows] = product(turned_back(_frames(body.end, faces)), column("orientation")[rows])


def let_go(moment: Moment, rows: Any) -> None:
    """Whoever is stuck, or slides, is free again, and leaves with the speed that it had. What held it is remembered, below 0, until it has come off,
    lest it hold it anew."""
    for name in HOLDS:
        if moment.particles.has(name):
            held = moment.column(name)
            held[rows] = -np.abs(held[rows])


def forget_released(moment: Moment) -> None:
    """Whoever was let go and has come off, by its own size, may be held again: what hops along the surface has not."""
    for name in HOLDS:
        if not moment.particles.has(name):
            continue
        held = moment.column(name)
        for shape, mine in by_shape(moment, name, np.flatnonzero(held < 0)):
            radius = moment.column("radius")[mine]
            off = np.float32(2.0) * radius + np.float32(BARELY)
            _places, distances = moment.end.poses[shape].closest(moment.column("position")[mine], float(off.max()) * 1.01)
            held[mine[distances > off]] = 0


def carried(moment: Moment, body: Body, places: NDArray[np.float64]) -> NDArray[np.float64]:
    """Where places (k, 3) at the start of the step are at its end if the shape takes them along, in the world: (k, 3) m."""
    if body.end.still:
        return places
    local = body.start.transform.inverse().points(places)
    if moment.scene.plan.stage.list[body.index].deforming:
        local = _found(body.end.geometry, *_kept(moment, body, local, body.start.geometry))
    return np.asarray(body.end.transform.points(local))


def follow(moment: Moment) -> None:
    """Put those who are stuck where their shapes are at the end of the step, turned as they are, moving with them."""
    rows = held_rows(moment, "stuck")
    if not len(rows):
        return
    column = moment.column
    for shape, mine in by_shape(moment, "stuck", rows):
        body = moment.body(shape)
        faces, kept = column("stuck_face")[mine], column("stuck_place")[mine].astype(np.float64)
        now = body.end.transform.points(_found(body.end.geometry, faces, kept))
        if moment.dt > 0:
            before = body.start.transform.points(_found(body.start.geometry, faces, kept))
            column("velocity")[mine] = (now - before) / moment.dt
        column("position")[mine] = now
        column("touching")[mine] |= touching_bit(shape)
        if moment.particles.has("orientation"):
            column("orientation")[mine] = product(_frames(body.end, faces), column("stuck_turn")[mine])
            column("spin")[mine] = 0
    moment.answers.changed("position")


def _kept(moment: Moment, body: Body, local: NDArray[np.float64], geometry: Geometry) -> tuple[NDArray[np.int32], NDArray[np.float64]]:
    """By what places (k, 3) in a shape's own space are kept on its form: triangles or what stands for them (k,), and four numbers each (k, 4)."""
    kept = np.zeros((len(local), 4))
    if not moment.scene.plan.stage.list[body.index].deforming:
        kept[:, :3] = local
        return np.full(len(local), RIGID, np.int32), kept
    if geometry.ball is not None:
        centre, radius = geometry.ball
        away = local - np.asarray(centre, np.float64)
        distance = np.linalg.norm(away, axis=1)
        kept[:, :3] = np.where(distance[:, None] > 1e-12, away / np.maximum(distance, 1e-12)[:, None], [0.0, 1.0, 0.0])
        kept[:, 3] = distance - radius
        return np.full(len(local), ON_BALL, np.int32), kept
    faces = geometry.nearest_faces(local)
    corner, _along, _across, normal = _triangle(geometry, faces)
    kept[:, :2] = weights_on(geometry.corners[faces], local)
    kept[:, 2] = np.einsum("ij,ij->i", local - corner, normal)
    return faces, kept


def _found(geometry: Geometry, faces: NDArray[np.int32], kept: NDArray[np.float64]) -> NDArray[np.float64]:
    """Where kept places are on a shape as it is now, in its own space: (k, 3)."""
    out = kept[:, :3].copy()
    ball = faces == ON_BALL
    if ball.any() and geometry.ball is not None:
        centre, radius = geometry.ball
        out[ball] = np.asarray(centre, np.float64) + kept[ball, :3] * (radius + kept[ball, 3])[:, None]
    on = faces >= 0
    if on.any():
        corner, along, across, normal = _triangle(geometry, faces[on])
        out[on] = corner + along * kept[on, :1] + across * kept[on, 1:2] + normal * kept[on, 2:3]
    return out


def _triangle(geometry: Geometry, faces: NDArray[np.int32]) -> tuple[NDArray[np.float64], ...]:
    """A corner of each triangle, the two sides from there, and its unit normal: (k, 3) each. A shape that has lost triangles gives its last."""
    corners = geometry.corners[np.minimum(faces, max(0, len(geometry.corners) - 1))]
    along, across = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    normal = np.cross(along, across)
    return corners[:, 0], along, across, normal / np.maximum(np.linalg.norm(normal, axis=1), 1e-30)[:, None]


def _frames(pose: Pose, faces: NDArray[np.int32]) -> NDArray[np.float32]:
    """How what carries each stuck particle is turned: the shape, and its triangle where the form changes: (k, 4)."""
    matrices = np.broadcast_to(pose.transform.rotation, (len(faces), 3, 3)).copy()
    on = faces >= 0
    if on.any():
        _corner, along, _across, normal = _triangle(pose.geometry, faces[on])
        along = along / np.maximum(np.linalg.norm(along, axis=1), 1e-30)[:, None]
        matrices[on] = pose.transform.rotation @ np.stack([along, np.cross(normal, along), normal], axis=2)
    return from_matrices(matrices)
