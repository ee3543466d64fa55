"""Importing triangle meshes: OBJ, PLY, STL and GLB through trimesh, then checked, since readers accept files that are not sound."""

from __future__ import annotations

import hashlib
import io
from pathlib import Path

import numpy as np
import trimesh

from hailridge.core.assets import Mesh

SUFFIXES = {".obj", ".ply", ".stl", ".glb"}
LARGEST_FILE = 64 * 1024 * 1024
MOST_TRIANGLES = 2_000_000
FURTHEST = 1e5
"""Metres; a mesh that reaches further is taken for a mistake of units."""


class MeshError(ValueError):
    """A file that gives no usable mesh; the message says what is wrong with it."""


def read_mesh(name: str, data: bytes) -> Mesh:
    """Read and check a mesh file.

    Returns
    -------
    Mesh
        All parts of the file joined, vertices (v, 3) float32 in metres, faces (f, 3) int32 without degenerate triangles.

    Raises
    ------
    MeshError
        Naming the file and what is wrong: kind, size, damage, indices, coordinates.
    """
    suffix = Path(name).suffix.lower()
    if suffix not in SUFFIXES:
        raise MeshError(f"'{name}' is not a mesh file that can be read; use OBJ, PLY, STL or GLB")
    if len(data) > LARGEST_FILE:
        raise MeshError(f"'{name}' is {len(data) / 1e6:.0f} MB; the limit is {LARGEST_FILE / 1e6:.0f} MB")
    try:
        # No resolver: a mesh file cannot make the reader open other files.
        loaded = trimesh.load(io.BytesIO(data), file_type=suffix[1:], force="mesh", process=False, skip_materials=True, resolver=None)
    except MemoryError:
        raise MeshError(f"'{name}' asks for more memory than there is; it is damaged or too large") from None
    except Exception as error:  # readers raise whatever they stumble over
        raise MeshError(f"'{name}' could not be read: {type(error).__name__}: {error}") from None
    return _checked(name, getattr(loaded, "vertices", None), getattr(loaded, "faces", None))


def _checked(name: str, vertices: object, faces: object) -> Mesh:
    places, corners = np.asarray(vertices), np.asarray(faces)
    if vertices is None or faces is None or corners.size == 0 or corners.ndim != 2 or corners.shape[1] != 3:
        raise MeshError(f"'{name}' has no triangles")
    if len(corners) > MOST_TRIANGLES:
        raise MeshError(f"'{name}' has {len(corners):,} triangles; the limit is {MOST_TRIANGLES:,}")
    if corners.min() < 0 or corners.max() >= len(places):
        raise MeshError(f"'{name}' is damaged: a triangle names vertex {int(corners.max())}, but there are only {len(places)}")
    used = places[np.unique(corners)]
    if not np.isfinite(used).all():
        raise MeshError(f"'{name}' is damaged: some of its coordinates are not finite numbers")
    if np.abs(used).max() > FURTHEST:
        raise MeshError(f"'{name}' reaches {np.abs(used).max():.3g} m from the origin; save it in metres, near the origin")
    edges = places[corners]
    areas = np.linalg.norm(np.cross(edges[:, 1] - edges[:, 0], edges[:, 2] - edges[:, 0]), axis=1)
    kept = corners[areas > 1e-14]
    if len(kept) == 0:
        raise MeshError(f"'{name}' has no triangle with an area")
    numbers, renumbered = np.unique(kept, return_inverse=True)
    return Mesh(np.ascontiguousarray(places[numbers], np.float32), renumbered.reshape(-1, 3).astype(np.int32))


def mesh_id(mesh: Mesh) -> str:
    """The id of a mesh in the library: a digest of its triangles, so that the same mesh is kept once."""
    return hashlib.sha256(mesh.vertices.tobytes() + mesh.faces.tobytes()).hexdigest()[:24]
