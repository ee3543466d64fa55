"""The last word about sides: whoever touched a closed shape that moved or changed its form is on the side of it where it was when the step began.

The sweep meets what moves along straight ways in the shape's own space. Where a shape turns far within a step, a way after the touch is not that
straight, and what follows from it may lie on the wrong side of the surface.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from hailridge.core.kernels.contact import PASSES, SKIN, SMALLEST_RADIUS
from hailridge.core.scene.bodies import Body
from hailridge.core.scene.moment import Moment
from hailridge.core.space.geometry import Geometry
from hailridge.core.state.particles import lengths
from hailridge.core.step.obstacles import Obstacles
from hailridge.core.step.solid import Solid

Places = NDArray[np.float64]

ROUNDING = 4.0 * float(np.finfo(np.float32).eps)
"""What part of their distance from the origin places are rounded by, and as much again."""

TRIES = 3
"""So often is looked whether who was put back lies before the surface again."""


def stop_against(moment: Moment, rows: NDArray[np.intp], ways: Any, own: Any = 0.0) -> None:
    """Take from velocities what goes against unit ways (k, 3), where that moves with `own` (k, 3) m/s; a way of no length takes nothing."""
    velocity = moment.column("velocity")[rows]
    against = np.minimum(np.einsum("ij,ij->i", velocity - own, ways), 0)
    if against.any():
        moment.column("velocity")[rows] = velocity - ways * against[:, None]


def not_between(moment: Moment, obstacles: Obstacles, solid: Solid, started: Any, touched: NDArray[np.uint64]) -> None:
    """Whoever is squeezed by two is pushed through neither: of what stands still, those who touched several stay on the side where they began."""
    rows = np.flatnonzero(np.bitwise_count(touched) > 1)
    if not len(rows):
        return
    walls: dict[int, NDArray[np.intp]] = {}
    for shape, slot in obstacles.slots.items():
        met = (touched[rows] & obstacles.bits[slot]) != 0
        mine = rows[met & (solid.permitted[slot, rows] != PASSES) & (solid.permitted[slot, rows] != 0)]
        if len(mine) and shape not in obstacles.changing:
            walls[shape] = mine
    if walls:
        begun = started[rows]
        nothing = np.zeros(len(rows), np.float32)
        normals = obstacles.sweep(moment, walls, rows, begun, moment.column("position")[rows] - begun, radius=nothing)
        stop_against(moment, rows, normals)


def put_back(moment: Moment, obstacles: Obstacles, solid: Solid, started: Any, spans: Any, touched: NDArray[np.uint64]) -> None:
    """Compare sides at both ends of the step: `started` (n, 3) m where each began, `spans` (n,) or (1,) s how much of the step it has lived."""
    if moment.dt <= 0:
        return
    for shape, slot in obstacles.slots.items():
        body = moment.body(shape)
        # What only changes its form has kept sides already (`step.forms`).
        moves = moment.scene.plan.stage.list[shape].moving
        if not moves or not body.end.geometry.has_inside or not body.start.geometry.has_inside:
            continue
        rows = np.flatnonzero((touched & obstacles.bits[slot]) != 0)
        rows = rows[(solid.permitted[slot, rows] != PASSES) & (solid.permitted[slot, rows] != 0)]
        if not len(rows):
            continue
        shares = np.broadcast_to(1 - np.asarray(spans if len(spans) == 1 else spans[rows], np.float64) / moment.dt, (len(rows),))
        was = body.start.geometry.inside(body.inward(started[rows].astype(np.float64), shares).astype(np.float32))
        local = body.end.transform.inverse().points(moment.column("position")[rows])
        wrong = body.end.geometry.inside(local.astype(np.float32)) != was
        if wrong.any():
            _mend(moment, body, rows[wrong], was[wrong])


def _mend(moment: Moment, body: Body, rows: NDArray[np.intp], inside: NDArray[np.bool_]) -> None:
    """Put them beside the surface where it is nearest, with no speed into it."""
    pose, column = body.end.transform, moment.column
    radius = np.maximum(column("radius")[rows].astype(np.float64), SMALLEST_RADIUS)
    place = column("position")[rows].astype(np.float64)
    spare = SKIN + ROUNDING * np.abs(place).max(axis=1)
    local, ways = beside(body.end.geometry, pose.inverse().points(place), inside, (radius + spare) / pose.scale)
    place, normals = pose.points(local), pose.vectors(ways)
    column("position")[rows] = place
    stop_against(moment, rows, normals, body.speed_at(place, moment.dt))
    moment.answers.changed("position")


def beside(geometry: Geometry, local: Places, inside: NDArray[np.bool_], size: Any) -> tuple[Places, Places]:
    """Places `size` off a closed surface where it is nearest, inside it or outside as given, and the ways off it there: (k, 3) each."""
    local, ways = local.copy(), np.zeros_like(local)
    out = np.where(inside, -1.0, 1.0)[:, None]
    rest = np.arange(len(local))
    for turn in range(TRIES):
        nearest, normals, heights = geometry.surface(local[rest].astype(np.float32))
        far = np.abs(heights)
        # From the wrong side the nearest place is where it has to go; on an edge that is between the normals.
        wrong = (heights < 0) != inside[rest]
        away = (nearest - local[rest]) / np.maximum(far, 1e-12)[:, None] * np.where(wrong, 1.0, -1.0)[:, None]
        way = np.where((far > 1e-6)[:, None] & (turn == 0), away, normals * out[rest])
        way /= np.maximum(lengths(way), 1e-12)[:, None]
        local[rest], ways[rest] = nearest + way * size[rest, None], way
        still = geometry.inside(local[rest].astype(np.float32)) != inside[rest]
        rest = rest[still]
        if not len(rest):
            break
    return local, ways
