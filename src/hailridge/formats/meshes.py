"""Importing triangle meshes: OBJ, PLY, STL and GLB through trimesh, USD through usd-core, then checked: readers accept files that are not sound."""

from __future__ import annotations

import hashlib
import io
import tempfile
from pathlib import Path
from typing import Any

import numpy as np
import trimesh
from numpy.typing import NDArray

from hailridge.core.assets import Mesh
from hailridge.core.geometry import Geometry
from hailridge.core.kernels import tree as kernel

SUFFIXES = {".obj", ".ply", ".stl", ".glb"}
USD_SUFFIXES = {".usd", ".usda", ".usdc", ".usdz"}
LARGEST_FILE = 64 * 1024 * 1024
MOST_TRIANGLES = 2_000_000
FURTHEST = 1e5
"""Metres; a mesh that reaches further is taken for a mistake of units."""


Places = NDArray[np.float64]
Corners = NDArray[Any]


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
    if suffix not in SUFFIXES | USD_SUFFIXES:
        raise MeshError(f"'{name}' is not a mesh file that can be read; use OBJ, PLY, STL, GLB or USD")
    if len(data) > LARGEST_FILE:
        raise MeshError(f"'{name}' is {len(data) / 1e6:.0f} MB; the limit is {LARGEST_FILE / 1e6:.0f} MB")
    if suffix in USD_SUFFIXES:
        return _checked(name, *_read_usd(name, suffix, data))
    try:
        # No resolver: a mesh file cannot make the reader open other files.
        loaded = trimesh.load(io.BytesIO(data), file_type=suffix[1:], force="mesh", process=False, skip_materials=True, resolver=None)
    except MemoryError:
        raise MeshError(f"'{name}' asks for more memory than there is; it is damaged or too large") from None
    except Exception as error:  # readers raise whatever they stumble over
        raise MeshError(f"'{name}' could not be read: {type(error).__name__}: {error}") from None
    return _checked(name, getattr(loaded, "vertices", None), getattr(loaded, "faces", None))


def _read_usd(name: str, suffix: str, data: bytes) -> tuple[Places, Corners]:
    """All meshes of a USD file at its first time, in the world and in metres, faces cut into triangles.

    The file stands alone in a folder of its own, so that nothing it refers to can be read.
    """
    from pxr import Gf, Tf, Usd, UsdGeom

    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / f"mesh{suffix}"
        path.write_bytes(data)
        try:
            stage = Usd.Stage.Open(str(path))
            if stage is None:
                raise MeshError(f"'{name}' could not be read: it is no USD file, or damaged")
            scale = UsdGeom.GetStageMetersPerUnit(stage) or 1.0
            # Heights are along y here; files that have them along z are laid over.
            upright = np.eye(3) if UsdGeom.GetStageUpAxis(stage) == UsdGeom.Tokens.y else np.array([[1.0, 0, 0], [0, 0, 1], [0, -1, 0]])
            places: list[Places] = []
            corners: list[Corners] = []
            count = 0
            cache = UsdGeom.XformCache(stage.GetStartTimeCode())
            for prim in stage.Traverse(Usd.TraverseInstanceProxies()):
                if not prim.IsA(UsdGeom.Mesh):
                    continue
                mesh = UsdGeom.Mesh(prim)
                at = Usd.TimeCode(stage.GetStartTimeCode())
                points = np.asarray(mesh.GetPointsAttr().Get(at) or mesh.GetPointsAttr().Get() or [], np.float64).reshape(-1, 3)
                numbers = np.asarray(mesh.GetFaceVertexCountsAttr().Get(at) or [], np.int64)
                indices = np.asarray(mesh.GetFaceVertexIndicesAttr().Get(at) or [], np.int64)
                if numbers.sum() != len(indices) or (numbers < 0).any():
                    raise MeshError(f"'{name}' is damaged: the faces of {prim.GetPath()} name {int(numbers.sum())} corners, but list {len(indices)}")
                matrix = np.array(Gf.Matrix4d(cache.GetLocalToWorldTransform(prim))).T
                places.append((points @ matrix[:3, :3].T + matrix[:3, 3]) * scale @ upright.T)
                corners.append(_triangles(numbers, indices) + count)
                count += len(points)
        except Tf.ErrorException as error:
            raise MeshError(f"'{name}' could not be read: {str(error).splitlines()[0][:200]}") from None
    if not places:
        raise MeshError(f"'{name}' has no meshes in it")
    return np.concatenate(places), np.concatenate(corners)


def _triangles(numbers: Corners, indices: Corners) -> Corners:
    """Faces of any number of corners as fans of triangles: (f, 3)."""
    starts = np.cumsum(numbers) - numbers
    fans = np.maximum(numbers - 2, 0)
    face = np.repeat(np.arange(len(numbers)), fans)
    step = np.arange(int(fans.sum())) - np.repeat(np.cumsum(fans) - fans, fans)
    first = starts[face]
    return np.stack([indices[first], indices[first + step + 1], indices[first + step + 2]], axis=1) if len(face) else np.empty((0, 3), np.int64)


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


def notes_on(mesh: Mesh) -> list[str]:
    """What is worth knowing of a mesh before it is used: holes, edges where more than two triangles meet, overlaps. None is a reason to refuse it."""
    geometry = Geometry(mesh.vertices, mesh.faces)
    shared = geometry.edge_shares
    holes, crowded = int(np.count_nonzero(shared == 1)), int(np.count_nonzero(shared > 2))
    notes = []
    if not geometry.has_inside:
        notes.append(f"It is open ({holes:,} open edges), so it has no inside; births inside it will use its surface.")
    elif holes:
        notes.append(f"It has holes ({holes:,} open edges); near them its inside is only guessed.")
    if not notes and _overlaps_itself(geometry):
        notes.append("It passes through itself; where it overlaps counts as inside.")
    if crowded:
        notes.append(f"At {crowded:,} edges more than two triangles meet; which side is inside is a guess there.")
    return notes


def _overlaps_itself(geometry: Geometry) -> bool:
    """Whether any of some thousand places in its box lies inside twice."""
    low, high = geometry.bounds
    places = low + (high - low) * np.random.default_rng(1).random((4000, 3))
    out = np.zeros(len(places), np.uint8)
    kernel.inside(len(places), places, geometry.tree.triangles, geometry.tree.bounds, geometry.tree.links, out)
    return bool((out == 2).any())
