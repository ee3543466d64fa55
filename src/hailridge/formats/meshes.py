"""Importing meshes: PLY, STL and GLB through trimesh, OBJ and USD by their faces, then checked: readers accept files that are not sound."""

from __future__ import annotations

import hashlib
import io
import re
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from hailridge.core.kernels import tree as kernel
from hailridge.core.scene.assets import Mesh
from hailridge.core.space.geometry import Geometry
from hailridge.formats.obj import ObjError, read_obj
from hailridge.formats.polygons import triangles_of
from hailridge.formats.usd_meshes import UsdError, read_usd

SUFFIXES = {".obj", ".ply", ".stl", ".glb"}
USD_SUFFIXES = {".usd", ".usda", ".usdc", ".usdz"}
LARGEST_FILE = 64 * 1024 * 1024
MOST_TRIANGLES = 2_000_000
FURTHEST = 1e5
"""Metres; a mesh that reaches further is taken for a mistake of units."""


class MeshError(ValueError):
    """A file that gives no usable mesh; the message says what is wrong with it."""


@dataclass
class MeshFile:
    """A mesh, and what is worth knowing of the file that it came from."""

    mesh: Mesh
    notes: list[str]


def read_mesh(name: str, data: bytes) -> Mesh:
    """The mesh of a file; see `read_mesh_file`."""
    return read_mesh_file(name, data).mesh


def read_mesh_file(name: str, data: bytes) -> MeshFile:
    """Read and check a mesh file.

    Returns
    -------
    MeshFile
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
    notes: list[str] = []
    try:
        if suffix in USD_SUFFIXES:
            places, corners, notes = read_usd(suffix, data)
        elif suffix == ".obj":
            places, numbers, indices = read_obj(data)
            corners = triangles_of(places, numbers, indices)
        else:
            places, corners = _read_others(suffix, data)
    except (ObjError, UsdError) as error:
        raise MeshError(f"'{name}' {error}") from None
    except MemoryError:
        raise MeshError(f"'{name}' asks for more memory than there is; it is damaged or too large") from None
    except Exception:  # readers raise whatever they stumble over, in words for programmers
        raise MeshError(f"'{name}' could not be read: it is damaged, cut off, or not really {_NAMED[suffix]}") from None
    return MeshFile(_checked(name, places, corners), notes)


_NAMED = {".obj": "an OBJ file", ".ply": "a PLY file", ".stl": "an STL file", ".glb": "a GLB file"} | dict.fromkeys(USD_SUFFIXES, "a USD file")


def _read_others(suffix: str, data: bytes) -> tuple[Any, Any]:
    """Vertices and faces of a PLY, STL or GLB file; None where there are none."""
    # Half a second, for those alone who need it.
    import trimesh

    # No resolver: a mesh file cannot make the reader open other files.
    loaded = trimesh.load(io.BytesIO(data), file_type=suffix[1:], force="mesh", process=False, skip_materials=True, resolver=None)
    places, corners = getattr(loaded, "vertices", None), getattr(loaded, "faces", None)
    told = re.search(rb"element face (\d+)", data[:20_000]) if suffix == ".ply" else None
    if told is not None and corners is not None and int(told[1]) != len(corners):
        # It has faces of more than three corners, which that reader cuts as if they bulged.
        faces = _ply_faces(data)
        if faces is not None and places is not None:
            numbers = np.array([len(face) for face in faces], np.int64)
            indices = np.concatenate(faces).astype(np.int64)
            if len(indices) and indices.min() >= 0 and indices.max() < len(places):
                corners = triangles_of(np.asarray(places, np.float64), numbers, indices)
    return places, corners


def _ply_faces(data: bytes) -> Any:
    from plyfile import PlyData

    elements = PlyData.read(io.BytesIO(data))
    lists = [name for name in ("vertex_indices", "vertex_index") if name in {entry.name for entry in elements["face"].properties}]
    return elements["face"][lists[0]] if lists else None


def _checked(name: str, vertices: object, faces: object) -> Mesh:
    places, corners = np.asarray(vertices), np.asarray(faces)
    if vertices is None or faces is None or corners.size == 0 or corners.ndim != 2 or corners.shape[1] != 3:
        raise MeshError(f"'{name}' has no triangles")
    if len(corners) > MOST_TRIANGLES:
        raise MeshError(f"'{name}' has {len(corners):,} triangles; the limit is {MOST_TRIANGLES:,}")
    if corners.min() < 0 or corners.max() >= len(places):
        wrong = int(corners.max() if corners.max() >= len(places) else corners.min())
        raise MeshError(f"'{name}' is damaged: a triangle names vertex {wrong}, but there are only {len(places)}")
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
