"""Reading the meshes of a USD file that stands alone: whatever it refers to outside itself is cut off before anything is composed."""

from __future__ import annotations

import tempfile
import zipfile
from pathlib import Path
from typing import Any

import numpy as np

from hailridge.formats.extras import MissingExtra, needed
from hailridge.formats.polygons import Corners, Places, triangles_of

LAYERS = {".usd", ".usda", ".usdc"}
MOST_UNPACKED = 512 * 1024 * 1024


class UsdError(ValueError):
    """A file that gives no meshes; the message ends a sentence that begins with the file's name."""


def read_usd(suffix: str, data: bytes) -> tuple[Places, Corners, list[str]]:
    """All visible meshes of a USD file at its first time, in the world and in metres, cut into triangles.

    Returns
    -------
    places : (v, 3) float64
    corners : (f, 3) int
    notes : list of str
        What was left out, in words.

    Raises
    ------
    UsdError
    """
    with tempfile.TemporaryDirectory() as place:
        folder = Path(place)
        root = _unpacked(folder, data) if suffix == ".usdz" else folder / f"mesh{suffix}"
        if suffix != ".usdz":
            root.write_bytes(data)
        return _read(folder, root)


def _unpacked(folder: Path, data: bytes) -> Path:
    """The first layer of a package, whose files now lie in a folder: what it refers to within the package is found there."""
    package = folder / "package.zip"
    package.write_bytes(data)
    try:
        with zipfile.ZipFile(package) as archive:
            entries = [entry for entry in archive.infolist() if not entry.is_dir()]
            if sum(entry.file_size for entry in entries) > MOST_UNPACKED:
                raise UsdError(f"holds more than {MOST_UNPACKED / 1e6:.0f} MB when it is unpacked")
            for entry in entries:
                # zipfile itself keeps names from leading out of the folder.
                archive.extract(entry, folder / "package")
    except (zipfile.BadZipFile, NotImplementedError, RuntimeError, OSError, EOFError):
        raise UsdError("could not be read: it is no USD package, or damaged") from None
    first = next((entry.filename for entry in entries if Path(entry.filename).suffix.lower() in LAYERS), None)
    if first is None:
        raise UsdError("has no USD layer in it")
    return folder / "package" / first


def _read(folder: Path, root: Path) -> tuple[Places, Corners, list[str]]:
    try:
        needed("usd")
    except MissingExtra as error:
        raise UsdError(f"cannot be read: {error}") from None
    from pxr import Gf, Tf, Usd, UsdGeom

    try:
        cut = _cut_off(folder)
        stage = Usd.Stage.Open(str(root))
        if stage is None:
            raise UsdError("could not be read: it is no USD file, or damaged")
        scale = UsdGeom.GetStageMetersPerUnit(stage) or 1.0
        # Heights are along y here; files that have them along z are laid over.
        upright = np.eye(3) if UsdGeom.GetStageUpAxis(stage) == UsdGeom.Tokens.y else np.array([[1.0, 0, 0], [0, 0, 1], [0, -1, 0]])
        places: list[Places] = []
        corners: list[Corners] = []
        count = hidden = 0
        at = Usd.TimeCode(stage.GetStartTimeCode())
        cache = UsdGeom.XformCache(at)
        for prim in stage.Traverse(Usd.TraverseInstanceProxies()):
            if not prim.IsA(UsdGeom.Mesh):
                continue
            mesh = UsdGeom.Mesh(prim)
            if mesh.ComputeVisibility(at) == UsdGeom.Tokens.invisible or mesh.ComputePurpose() in (UsdGeom.Tokens.guide, UsdGeom.Tokens.proxy):
                hidden += 1
                continue
            own, triangles = _mesh(mesh, at, str(prim.GetPath()))
            matrix = np.array(Gf.Matrix4d(cache.GetLocalToWorldTransform(prim))).T
            places.append((own @ matrix[:3, :3].T + matrix[:3, 3]) * scale @ upright.T)
            corners.append(triangles + count)
            count += len(own)
    except Tf.ErrorException:
        raise UsdError("could not be read: it is no USD file, or damaged") from None
    notes = []
    if cut:
        notes.append(f"It refers to other files ({', '.join(sorted(cut)[:3])}{' and more' if len(cut) > 3 else ''}); what is in them was left out.")
    if hidden:
        verb, past = ("is", "was") if hidden == 1 else ("are", "were")
        notes.append(f"{hidden} of its meshes {verb} invisible or only for guidance, and {past} left out.")
    if not places:
        raise UsdError("has no meshes in it" + (f"; {notes[-1][0].lower()}{notes[-1][1:-1]}" if notes else ""))
    return np.concatenate(places), np.concatenate(corners), notes


def _mesh(mesh: Any, at: Any, path: str) -> tuple[Places, Corners]:
    """One mesh's points and triangles in its own space."""

    def read(attribute: Any, kind: Any) -> Any:
        value = attribute.Get(at)
        return np.asarray(value if value is not None else attribute.Get() or [], kind)

    points = read(mesh.GetPointsAttr(), np.float64).reshape(-1, 3)
    numbers, indices = read(mesh.GetFaceVertexCountsAttr(), np.int64), read(mesh.GetFaceVertexIndicesAttr(), np.int64)
    if (numbers < 0).any() or numbers.sum() != len(indices):
        raise UsdError(f"is damaged: the faces of {path} name {int(numbers.sum())} corners, but list {len(indices)}")
    if len(indices) and (indices.min() < 0 or indices.max() >= len(points)):
        wrong = int(indices[(indices < 0) | (indices >= len(points))][0])
        raise UsdError(f"is damaged: a face of {path} names vertex {wrong}, but there are {len(points)}")
    return points, triangles_of(points, numbers, indices)


def _cut_off(folder: Path) -> set[str]:
    """Take out of every layer in a folder what would open a file outside it. Returns the names of those files."""
    from pxr import Sdf

    cut: set[str] = set()
    for file in sorted(folder.rglob("*")):
        if file.suffix.lower() not in LAYERS:
            continue
        layer = Sdf.Layer.FindOrOpen(str(file))
        if layer is None:
            continue

        def outside(asset: str, layer: Any = layer) -> bool:
            if not asset:
                return False
            there = Path(layer.ComputeAbsolutePath(asset)).resolve()
            if folder.resolve() in there.parents and there.is_file():
                return False
            cut.add(Path(asset).name)
            return True

        kept = [name for name in layer.subLayerPaths if not outside(name)]
        if kept != list(layer.subLayerPaths):
            layer.subLayerPaths = kept

        def clean(path: Any, layer: Any = layer, outside: Any = outside) -> None:
            spec = layer.GetPrimAtPath(path) if path.IsPrimPath() or path.IsPrimVariantSelectionPath() else None
            if spec is None:
                return
            for arcs in (spec.referenceList, spec.payloadList):
                for edits in (arcs.explicitItems, arcs.prependedItems, arcs.appendedItems, arcs.addedItems, arcs.orderedItems):
                    for arc in list(edits):
                        if outside(arc.assetPath):
                            edits.remove(arc)
            if spec.HasInfo("clips"):
                # Clips exist to bring in other files.
                spec.ClearInfo("clips")
                cut.add("value clips")

        layer.Traverse(Sdf.Path.absoluteRootPath, clean)
        layer.Save()
    return cut
