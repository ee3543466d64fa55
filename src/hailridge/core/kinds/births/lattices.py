"""Places that fill a shape: by chance, in rows, or kept apart. All in the shape's own space."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from hailridge.core.kernels import tree
from hailridge.core.space.geometry import Geometry
from hailridge.core.state.randomness import Keys, source_keys, uniforms

MOST_PLACES = 5_000_000
"""More places than that are refused: they would take minutes and fill the memory."""

MOST_CELLS = 8_000_000
MOST_DARTS = 4_000_000
"""What is tried to find places: a few seconds' work at the most."""

MOST_TRIES = 400
EARLY_TRIES, EARLY_SHARE = 48, 0.02
"""A shape in which so many tries have found a place for less than this part is too thin to go on."""

CHUNK = 2_000_000

Points = NDArray[np.float32]


class LatticeTooFine(ValueError):
    """A spacing that would give more places than can be kept."""


def inside_points(geometry: Geometry, keys: Keys, item: int, seed: int) -> tuple[Points, bool]:
    """One place inside for each key, evenly by volume: tries are drawn in the box around the shape until one is inside.

    Returns the places (n, 3) and whether all were found; what is found nowhere is put on the surface.
    """
    low, high = geometry.bounds
    out = np.empty((len(keys), 3), np.float32)
    left = np.arange(len(keys))
    for draw in range(MOST_TRIES):
        u = uniforms(keys[left], item, draw, seed)
        places = (low + u[:, :3] * (high - low)).astype(np.float32)
        good = geometry.inside(places)
        out[left[good]] = places[good]
        left = left[~good]
        if len(left) == 0:
            return out, True
        if draw == EARLY_TRIES and len(left) > (1 - EARLY_SHARE) * len(keys):
            break
    out[left], _normals = geometry.on_surface(uniforms(keys[left], item, 0, seed))
    return out, False


def lattice(geometry: Geometry, spacing: float, jitter: float, item: int, seed: int) -> Points:
    """Points of a lattice inside a shape, in rows of x, then z, then y; on a flat shape those within half a cell of it, laid onto it.

    Raises LatticeTooFine, with the number of cells, before anything large is made.
    """
    low, high = geometry.bounds
    counts = np.maximum(1, np.floor((high - low) / spacing + 1e-6).astype(np.int64))
    cells = float(np.prod(counts.astype(float)))
    if cells > MOST_CELLS:
        text = f"a lattice with a cell of {spacing:g} m would have {cells:.3g} cells in its shape; the limit is {MOST_CELLS:,}. Make the cell larger."
        raise LatticeTooFine(text)
    # Centred, so that what does not come out even is left over on both sides alike.
    start = (low + high) / 2 - (counts - 1) * spacing / 2
    flat = not geometry.has_inside
    kept: list[Points] = []
    total = 0
    whole = int(np.prod(counts))
    for first in range(0, whole, CHUNK):
        number = np.arange(first, min(whole, first + CHUNK))
        cell = np.stack([number % counts[0], number // (counts[0] * counts[2]), (number // counts[0]) % counts[2]], axis=1)
        places = start + cell * spacing
        if jitter > 0:
            u = uniforms(number.astype(np.uint64), item, 1, seed)
            places = places + (u[:, :3] - 0.5) * (spacing * jitter)
        points = places.astype(np.float32)
        if flat:
            nearest, distances = geometry.closest(points)
            points = nearest[distances <= spacing / 2].astype(np.float32)
        else:
            points = points[geometry.inside(points)]
        kept.append(points)
        total += len(points)
        if total > MOST_PLACES:
            raise LatticeTooFine(f"a lattice with a cell of {spacing:g} m would give more than {MOST_PLACES:,} places. Make the cell larger.")
    return np.concatenate(kept)


def kept_apart(geometry: Geometry, distance: float, inside: bool, item: int, seed: int) -> tuple[Points, Points]:
    """Places and normals no nearer to one another than `distance`: darts are thrown at the shape, those too near to an earlier one fall off."""
    inside = inside and geometry.has_inside
    if inside:
        low, high = geometry.bounds
        room = float(np.prod(high - low)) / distance**3 * 1.3
    elif geometry.line:
        room = float(geometry.heights[-1]) / distance * 1.3
    else:
        area = 4 * np.pi * geometry.ball[1] ** 2 if geometry.ball is not None else float(geometry.areas.sum())
        room = area / distance**2 * 1.2
    # Six darts a place fill a surface to within a few per cent of what any number would.
    darts = int(room * 6) + 8
    if darts > MOST_DARTS:
        raise LatticeTooFine(f"places {distance:g} m apart would be about {room:,.0f}; the limit is {MOST_DARTS // 6:,}. Make the distance larger.")
    keys = source_keys(0, darts, item, seed)
    if inside:
        points = (low + uniforms(keys, item, 2, seed)[:, :3] * (high - low)).astype(np.float32)
        points = points[geometry.inside(points)]
        normals = np.tile(np.array([[0, 1, 0]], np.float32), (len(points), 1))
    else:
        points, normals = geometry.on_surface(uniforms(keys, item, 2, seed))
    kept = np.zeros(len(points), np.uint8)
    tree.thin(points.astype(np.float64), float(distance), kept)
    return points[kept != 0], normals[kept != 0]


def shuffled(number: int, item: int, seed: int) -> NDArray[np.intp]:
    """The numbers below `number` in an order of their own for each item and seed."""
    u = uniforms(np.arange(number, dtype=np.uint64), item, 3, seed)[:, 0]
    return np.argsort(u, kind="stable")
