"""What particles touch: which shape, how it faces there, and what pulls at them; found where somebody asks."""

from __future__ import annotations

from typing import Any

import numpy as np

from hailridge.core.scene.moment import Moment
from hailridge.core.state.particles import Array, Rows, lengths, number_of, touching_bit

PULL = ("pull",)


def note_pull(moment: Moment, gained: Any, spans: Any) -> None:
    """Keep what pushed each in this step, where somebody reads it: `gained` (n, 3) m/s in `spans` (n,) or (1,) s."""
    if moment.particles.has("pull"):
        span = np.maximum(spans, np.float32(1e-9))
        moment.column("pull")[:] = gained / (span if len(span) == 1 else span[:, None])


def normals_of(moment: Moment, rows: Rows) -> Array:
    """Directions off the surfaces that particles touch, toward them (k, 3), zero for who touches nothing; of several, off the last in the list."""
    return moment.each(("touched", moment.scene.time), ("position", "touching"), rows, lambda rows: _normals(moment, rows))


def _normals(moment: Moment, rows: Rows) -> Array:
    touching = moment.read("touching", rows)
    out = np.zeros((number_of(rows), 3), np.float32)
    for shape, pose in enumerate(moment.scene.poses):
        here = np.flatnonzero((touching & touching_bit(shape)) != 0)
        if len(here) and pose.geometry.solid:
            places = moment.read("position", rows)[here].astype(np.float64)
            nearest, facing = pose.facing(places)
            away = places - nearest
            size = lengths(away)[:, None]
            out[here] = np.where(size > 1e-9, away / np.maximum(size, 1e-9), facing)
    return out


def pull_of(moment: Moment, rows: Rows) -> tuple[Array, Array]:
    """The force (N) by which what pushes them pulls those who touch something along the surface, and away from it, below 0 where it presses them on
    it: (k,) each, 0 for who touches nothing."""
    normal = normals_of(moment, rows)
    if not moment.particles.has("pull"):
        return np.zeros(len(normal), np.float32), np.zeros(len(normal), np.float32)
    force = moment.read("pull", rows) * moment.read("mass", rows)[:, None]
    away = np.einsum("ij,ij->i", force, normal)
    touches = np.any(normal != 0, axis=1)
    along = np.linalg.norm(force - away[:, None] * normal, axis=1)
    return np.where(touches, along, 0).astype(np.float32), away
