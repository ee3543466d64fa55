"""Sliding: particles that are held to a shape's surface and move along it, however it curves, moves and changes.

Pushes move them along the surface only; what they press on it, or pull at it, is what friction works against. A step's way is walked in pieces, each
straight and then brought back to the surface, where the speed is turned with the surface rather than cut, so that a curve takes nothing of it.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from hailridge.core.kernels.contact import ROLLING, SMALLEST_RADIUS
from hailridge.core.scene.bodies import Body, Pose
from hailridge.core.scene.moment import Moment
from hailridge.core.scene.sticking import carried
from hailridge.core.state.orientation import from_spin, product
from hailridge.core.state.particles import lengths, touching_bit

COLUMNS = ("sliding",)

OF_WHO_ROLLS = ("orientation", "spin", "rolling")
"""Columns of those who turn by their circumference on what they roll along."""

MOST_PIECES = 8
"""Straight pieces at most that a step's way along a surface is walked in."""

FINE, COARSE, BY_RADIUS = 0.005, 0.04, 4.0
"""How long a piece is at most: parts of the shape's size, and that many radii of the particles between the two."""

CORNER = 0.7
"""The cosine of the angle at which two faces meet above which an inner corner is a curve, and below which it takes the speed onto the new face."""

FACES = 2
"""So many faces that meet are kept off."""

MENDED = 0.2
"""How much a piece's speed is mended at most to what the height that it came to asks for."""

Vectors = NDArray[np.float64]


def walk(moment: Moment, body: Body, rows: NDArray[np.intp], gained: Any, friction: Any, rolls: NDArray[np.bool_]) -> tuple[Vectors, Vectors]:
    """Where those who slide along a shape come to in this step, and how fast they are then: (k, 3) m in the world, (k, 3) m/s.

    gained (k, 3): what pushes add to their velocity, which has it already; friction (k,); rolls (k,): whose turning takes part of each push along the
    surface, and shows in the orientation.
    """
    dt = moment.dt
    start = moment.column("position")[rows].astype(np.float64)
    gain = np.asarray(gained, np.float64)
    place = carried(moment, body, start)
    own = (place - start) / dt
    radius = np.maximum(moment.column("radius")[rows].astype(np.float64), SMALLEST_RADIUS)
    normal, side = _side(body.end, place)
    speed = moment.column("velocity")[rows].astype(np.float64) - own - gain
    # A surface that comes toward them presses as a push does.
    lead = np.einsum("ij,ij->i", speed, normal)
    speed -= lead[:, None] * normal
    pieces = _pieces(body.end, radius, float(lengths(speed + gain).max(initial=0.0)) * dt)
    given = np.where(rolls, ROLLING, 1.0)
    turns = moment.particles.has("orientation") and bool(rolls.any())
    share = 1.0 / pieces
    for _piece in range(pieces):
        across = np.einsum("ij,ij->i", gain, normal)
        along = (gain - across[:, None] * normal) * (given * share)[:, None]
        hindrance = np.asarray(friction, np.float64) * np.abs(across * share + lead) * given
        before, wanted = lengths(speed), speed + along
        size = lengths(wanted)
        after = wanted * np.maximum(0.0, 1.0 - hindrance / np.maximum(size, 1e-30))[:, None]
        stops = hindrance >= size
        # Who comes to rest within the piece goes no further than until then.
        braked = hindrance - np.einsum("ij,ij->i", along, speed) / np.maximum(before, 1e-30)
        part = np.where(stops, np.minimum(1.0, before / np.maximum(braked, 1e-30)), 1.0)
        way = (speed + after) / 2 * (part * share * dt)[:, None]
        begun = place
        place, normal, lead, speed = _onward(body.end, place + way, normal, side, radius, after)
        # What it has really risen or fallen is what its speed has cost or brought: a surface of flat pieces would take or give some.
        work = np.einsum("ij,ij->i", gain, place - begun) * given / dt - hindrance / (share * dt) * lengths(way)
        size = lengths(speed)
        due = np.sqrt(np.maximum(0.0, before**2 + 2 * work)) / np.maximum(size, 1e-30)
        speed *= np.where((lead == 0) | (size < 1e-6), 1.0, np.clip(due, 1 - MENDED, 1 + MENDED))[:, None]
        if turns:
            column = moment.column("orientation")
            those = rows[rolls]
            column[those] = product(from_spin((np.cross(normal, way) / radius[:, None])[rolls]), column[those])
    if turns:
        moment.column("rolling")[rows[rolls]] = 1
        moment.column("spin")[rows[rolls]] = (np.cross(normal, speed) / radius[:, None])[rolls]
    return place, speed + own


def settle(moment: Moment, body: Body, rows: NDArray[np.intp]) -> None:
    """Put those who slide along a shape their radius off it, where it is at the end of the step, with no speed across it."""
    column = moment.column
    place = column("position")[rows].astype(np.float64)
    radius = np.maximum(column("radius")[rows].astype(np.float64), SMALLEST_RADIUS)
    normal, side = _side(body.end, place)
    place, normal = _beside(body.end, place, normal, side, radius)
    velocity = column("velocity")[rows].astype(np.float64)
    if not moment.scene.plan.stage.list[body.index].deforming:
        across = np.einsum("ij,ij->i", velocity - body.speed_at(place, moment.dt), normal)
        column("velocity")[rows] = velocity - across[:, None] * normal
    column("position")[rows] = place
    column("touching")[rows] |= touching_bit(body.index)
    moment.answers.changed("position")


def _pieces(pose: Pose, radius: Vectors, longest: float) -> int:
    low, high = pose.geometry.bounds
    size = float(np.linalg.norm(high - low)) * pose.transform.scale
    piece = min(max(FINE * size, BY_RADIUS * float(np.median(radius)) if len(radius) else 0.0), COARSE * size)
    return int(np.clip(np.ceil(longest / max(piece, 1e-9)), 1, MOST_PIECES))


def _side(pose: Pose, place: Vectors) -> tuple[Vectors, NDArray[np.float64]]:
    """Directions off the surface (k, 3), and on which side of it each is: 1 where its normals point, −1 on the other (k,)."""
    nearest, facing = pose.facing(place)
    away = place - nearest
    distance = lengths(away)
    side = np.where(np.einsum("ij,ij->i", away, facing) < 0, -1.0, 1.0)
    return np.where(distance[:, None] > 1e-9, away / np.maximum(distance, 1e-9)[:, None], facing * side[:, None]), side


def _beside(pose: Pose, place: Vectors, normal: Vectors, side: Any, radius: Any) -> tuple[Vectors, Vectors]:
    """Places each its radius off the surface where it is nearest, on its side of it, and the directions off it there."""
    nearest, facing = pose.facing(place)
    away = place - nearest
    distance = lengths(away)
    right = np.einsum("ij,ij->i", away, facing) * side > 1e-9
    normal = np.where(right[:, None], away / np.maximum(distance, 1e-9)[:, None], facing * side[:, None])
    return nearest + normal * radius[:, None], normal


def _onward(
    pose: Pose, place: Vectors, normal: Vectors, side: Any, radius: Any, speed: Vectors
) -> tuple[Vectors, Vectors, NDArray[np.float64], Vectors]:  # fmt: skip
    """Places brought back to the surface, directions off it, how much of the speed led off or onto it (m/s), 0 in a corner, and the speed along."""
    lead = np.zeros(len(place))
    cornered = np.zeros(len(place), np.bool_)
    for _face in range(FACES):
        place, now = _beside(pose, place, normal, side, radius)
        across = np.einsum("ij,ij->i", speed, now)
        # Around an edge and through a curve it keeps its speed; what runs into the face of an inner corner loses it.
        blunt = (across < 0) & (np.einsum("ij,ij->i", normal, now) < CORNER)
        along = speed - across[:, None] * now
        kept = lengths(speed) / np.maximum(lengths(along), 1e-30)
        speed = along * np.where(blunt | (kept > 1e6), 1.0, kept)[:, None]
        cornered |= blunt
        lead += across
        normal = now
    return place, normal, np.where(cornered, 0.0, lead), speed
