"""On which side of a solid shape newborns and children belong, so that nobody is born into a surface and thrown through it."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from hailridge.core.kernels import vectors
from hailridge.core.kernels.contact import PASSES, SKIN, SMALLEST_RADIUS
from hailridge.core.scene.bodies import Body
from hailridge.core.scene.moment import Moment
from hailridge.core.state.particles import as_indices, lengths
from hailridge.core.step.obstacles import Obstacles
from hailridge.core.step.rules import asked_of

ON_IT = 1e-4
"""Metres: who is born no further from a surface than that lies on it, on neither side."""

CORNER = 3
"""Faces that meet in a corner."""

Places = NDArray[np.float64]


def keep_with_parents(moment: Moment, obstacles: Obstacles, rows: slice, parents: NDArray[np.intp]) -> None:
    """Children that have just appeared around their parents stay on the side of every solid shape on which the parent is (`parents`: rows (k,)).

    Each is brought from its parent's place to its own, and stays where it touches something on that way.
    """
    solid = _solid_to(moment, rows)
    if not solid:
        return
    place, parent = moment.column("position")[rows], moment.column("position")[parents]
    obstacles.sweep(moment, solid, rows, parent, place - parent)
    for shape, indices in solid.items():
        _clear(moment, moment.body(shape), indices, np.ones(len(indices)))


def set_on_side(moment: Moment, rows: slice, shares: Places, own: tuple[int, Places]) -> None:
    """Newborns of a source that overlap a solid shape are put beside it, touching it, on the side to which they belong.

    Born on the surface itself, or lifted a little off it, they belong to the side for which they leave: by their motion against the surface, by its
    normal where they do not move. Of other open surfaces they belong to the front if they are there or leave for it; in and around other closed
    shapes to where they are. `shares` (k,) are their moments of birth as shares of the step; `own` is the index of the shape that they are born on
    and their places on it before they are lifted (k, 3), in its own space.
    """
    for shape, indices in _solid_to(moment, rows).items():
        body, own_shares = moment.body(shape), shares[indices - rows.start]
        bases = own[1][indices - rows.start] if shape == own[0] else None
        if _lift(moment, body, indices, own_shares, True, bases):
            _clear(moment, body, indices, own_shares)


def _solid_to(moment: Moment, rows: slice) -> dict[int, NDArray[np.intp]]:
    """By the index of a shape, which of these rows it is solid to now."""
    rules = [ready for ready in moment.scene.turns.on_the_way if ready.does.contact or ready.otherwise.contact]
    if not rules:
        return {}
    among = np.zeros(moment.count, np.bool_)
    among[rows] = True
    found: dict[int, list[NDArray[np.intp]]] = {}
    for ready in rules:
        passing, failing = asked_of(moment, ready, among)
        for held, actions in ((passing, ready.does.contact), (failing, ready.otherwise.contact)):
            for action in actions:
                if action.response == PASSES:  # type: ignore[attr-defined]
                    continue
                found.setdefault(moment.scene.shape_index[action.shape], []).append(as_indices(held))  # type: ignore[attr-defined]
    joined = {shape: parts[0] if len(parts) == 1 else np.unique(np.concatenate(parts)) for shape, parts in found.items()}
    return {shape: indices for shape, indices in joined.items() if len(indices) and moment.end.poses[shape].geometry.solid}


def _clear(moment: Moment, body: Body, indices: NDArray[np.intp], shares: Places) -> None:
    """Put those who overlap a shape beside it, on the side where they are; whoever sits in a corner touches several faces."""
    for _face in range(CORNER):
        if not _lift(moment, body, indices, shares, False):
            return


def _lift(moment: Moment, body: Body, indices: NDArray[np.intp], shares: Places, newborn: bool, bases: Places | None = None) -> bool:
    """Put those who overlap a shape beside the face that is nearest; whether there were any. `bases` (k, 3): where those are born that are born
    on it."""
    near = _near(moment, body, indices)
    indices, shares = indices[near], shares[near]
    if not len(indices):
        return False
    on_surface = np.zeros(len(indices), np.bool_)
    if bases is not None:
        on_surface = np.abs(body.end.geometry.surface(bases[near].astype(np.float32))[2]) * body.end.transform.scale < ON_IT
    start, end = body.start.transform, body.end.transform
    position = moment.column("position")
    local = body.inward(position[indices], shares)
    nearest, normals, heights = body.end.geometry.surface(local.astype(np.float32))
    size = (np.maximum(moment.column("radius")[indices], SMALLEST_RADIUS) + SKIN) / end.scale
    # Who has just been put beside it lies at its size to the last bit of single precision.
    over = np.abs(heights) < size - 2e-6 * (1 + np.abs(local).max(axis=1))
    if not over.any():
        return False
    indices, shares, on_surface = indices[over], shares[over], on_surface[over]
    local, nearest, normals, heights, size = local[over], nearest[over], normals[over], heights[over], size[over]
    here = np.where(heights >= 0, 1.0, -1.0)
    leaves_for = _leaving(moment, body, indices, local, normals, shares)
    on_it = on_surface | (np.abs(heights) * end.scale < ON_IT)
    if newborn and not body.end.geometry.has_inside:
        # An open surface has a front: whoever is before it, or leaves to its front, belongs there.
        sides = np.where(on_it, leaves_for, np.maximum(here, leaves_for))
    else:
        sides = np.where(on_it, leaves_for, here)
    away = (local - nearest) / np.maximum(np.abs(heights), 1e-12)[:, None]
    astray = (np.abs(heights) * end.scale < ON_IT) | (sides != here)
    ways = np.where(astray[:, None], normals * sides[:, None], away)
    beside = nearest + ways * size[:, None]
    at_start = start.points(beside)
    position[indices] = (at_start + (end.points(beside) - at_start) * shares[:, None]).astype(np.float32)
    moment.answers.changed("position")
    return True


def _near(moment: Moment, body: Body, indices: NDArray[np.intp]) -> NDArray[np.bool_]:
    """Who may overlap a shape (k,): those whose ball meets the box around it, wherever it is within the step."""
    (low, high), (low_then, high_then) = body.start.box, body.end.box
    near = np.empty(len(indices), np.bool_)
    vectors.meets_box(
        len(indices), moment.column("position"), np.asarray(indices, np.int64), moment.column("radius"), np.float32(SMALLEST_RADIUS),
        np.float32(ON_IT), np.minimum(low, low_then), np.maximum(high, high_then), near,
    )  # fmt: skip
    return near


def _leaving(moment: Moment, body: Body, indices: NDArray[np.intp], local: Places, normals: Places, shares: Places) -> Places:
    """For which side of the surface each leaves: 1 along the normal, or where it does not move against the surface; −1 the other way."""
    velocity = moment.column("velocity")[indices].astype(np.float64)
    if not body.end.still and moment.dt > 0:
        start, end = body.start.transform, body.end.transform
        velocity = velocity - (end.points(local) - start.points(local)) / moment.dt
    onward = np.sum(velocity * body.end.transform.vectors(normals), axis=1)
    return np.where(onward < -1e-6 * np.maximum(lengths(velocity), 1e-3), -1.0, 1.0)
