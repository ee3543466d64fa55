"""Random numbers that depend only on seed, lineage, item and draw: adding a rule or a particle reshuffles nothing else.

A particle's *lineage key* comes from its source and ordinal, or from its parent's key, the rule and the step; never from how many
other particles there are.
"""

from __future__ import annotations

import zlib

import numpy as np
from numpy.typing import NDArray

from hailridge.core.kernels import philox, vectors

Keys = NDArray[np.uint64]


def item_number(path: str) -> int:
    """A 32-bit number for a place in the document, the same in every run."""
    return zlib.crc32(path.encode())


def uniforms(keys: Keys, item: int, draw: int, seed: int) -> NDArray[np.float32]:
    """Four independent numbers in [0, 1) per key: (n, 4) float32."""
    out = np.empty((len(keys), 4), np.float32)
    philox.uniforms(len(keys), np.ascontiguousarray(keys), np.uint64(item), np.uint64(draw & 0xFFFFFFFF), np.uint64(seed), out)
    return out


def deviates(keys: Keys, item: int, draw: int, seed: int, width: float) -> NDArray[np.float32]:
    """A number for each key, spread evenly from −`width` to `width`: (n,) float32; the first of its `uniforms`, doubled, less 1, times that."""
    out = np.empty(len(keys), np.float32)
    philox.deviates(
        len(keys), np.ascontiguousarray(keys), np.uint64(item), np.uint64(draw & 0xFFFFFFFF), np.uint64(seed), np.float32(width), out
    )  # fmt: skip
    return out


def normals(keys: Keys, item: int, draw: int, seed: int) -> NDArray[np.float32]:
    """Two independent standard normal numbers per key (Box and Muller): (n, 2) float32."""
    u = uniforms(keys, item, draw, seed).astype(np.float64)
    distance = np.sqrt(-2.0 * np.log1p(-u[:, 0]))
    angle = 2.0 * np.pi * u[:, 1]
    return np.stack([distance * np.cos(angle), distance * np.sin(angle)], axis=1).astype(np.float32)


def source_keys(first: int, number: int, item: int, seed: int) -> Keys:
    """Lineage keys of a source's newborns, from their ordinals."""
    ordinals = np.arange(first, first + number, dtype=np.uint64)
    return child_keys(np.zeros(number, np.uint64), ordinals, item, 0, seed)


def child_keys(parents: Keys, ordinals: NDArray[np.uint64], item: int, draw: int, seed: int) -> Keys:
    """Lineage keys from parents' keys and each child's ordinal among its siblings."""
    out = np.empty(len(parents), np.uint64)
    parents = np.ascontiguousarray(parents)
    philox.descend(len(parents), parents, ordinals, np.uint64(item), np.uint64(draw & 0xFFFFFFFF), np.uint64(seed), out)
    return out


def directions_in_cone(axes: NDArray[np.float32], half_angles: NDArray[np.float32] | float, u: NDArray[np.float32]) -> NDArray[np.float32]:
    """Unit vectors spread evenly by solid angle within cones: axes (n, 3) or (1, 3) unit, half angles in radians, u (n, ≥ 2) uniform."""
    cos_widest = np.cos(half_angles)
    z = 1.0 - u[:, 0] * (1.0 - cos_widest)
    ring = np.sqrt(np.maximum(0.0, 1.0 - z * z))
    angle = (2.0 * np.pi) * u[:, 1]
    out = np.empty((len(u), 3), np.float32)
    across, onward = (np.asarray(ring * turned(angle), np.float64) for turned in (np.cos, np.sin))
    vectors.about_axes(len(out), np.ascontiguousarray(axes, np.float32), np.asarray(z, np.float64), across, onward, out)
    return out


def any_directions(u: NDArray[np.float32]) -> NDArray[np.float32]:
    """Unit vectors, every direction equally likely: (n, 3), from u (n, ≥ 2) uniform."""
    return directions_in_cone(upward(1), np.pi, u)


def points_in_ball(u: NDArray[np.float32]) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Points spread evenly by volume in the unit ball and their directions from its centre, (n, 3) each, from u (n, ≥ 3) uniform."""
    out = any_directions(u)
    return out * np.cbrt(u[:, 2:3]), out


def upward(number: int) -> NDArray[np.float32]:
    """That many unit vectors straight up: (n, 3)."""
    return np.tile(np.array([0.0, 1.0, 0.0], np.float32), (number, 1))

