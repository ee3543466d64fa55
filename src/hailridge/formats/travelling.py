"""One file by which effects travel: a ZIP with their documents as JSON, and the meshes (PLY) and pictures (PNG) that they need, by content.

Layout
------
``manifest.json``
    ``{"hailridge": 1, "schema": FORMAT, "effects": [{"name", "document", "poster"?}], "meshes": {id: name}, "pictures": {id: {"name",
    "columns", "rows", "count", "width", "height"}}}``; paths are those of the entries below.
``effects/1.json``, ``effects/1.png``
    A document as JSON, and its small picture if there is one.
``meshes/<id>.ply``, ``pictures/<id>.png``
    Binary PLY of float32 places and int32 triangles; the sheet of a picture set. Ids are digests of what they hold, and checked.

The same effects make the same bytes: entries have no date and stand in order.
"""

from __future__ import annotations

import io
import json
import re
import zipfile
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from hailridge.core.scene.assets import Assets, Mesh, MissingAsset, PictureSheet
from hailridge.core.scene.shipped import shipped_pictures
from hailridge.formats.meshes import FURTHEST, MOST_TRIANGLES, mesh_id
from hailridge.formats.pictures import PictureError, picture_id, read_pictures
from hailridge.model.effect import FORMAT, Effect
from hailridge.model.kind import references

VERSION = 1
SUFFIX = ".hailridge.zip"
MOST_UNPACKED = 600 * 1024 * 1024
LARGEST_DOCUMENT = 8 * 1024 * 1024
LARGEST_POSTER = 2 * 1024 * 1024
MOST_EFFECTS = 500
LONGEST_NAME = 200


class TravelError(ValueError):
    """A file that brings no effects; the message says what is wrong with it."""


@dataclass
class Traveller:
    """One effect on its way: its document as it is written (checked by whoever takes it in), and its small picture (PNG), if there is one."""

    document: dict[str, Any]
    poster: bytes | None = None


@dataclass
class Baggage:
    """What a file holds."""

    effects: list[Traveller]
    meshes: dict[str, tuple[str, Mesh]] = field(default_factory=dict)
    """Name and triangles by id."""
    pictures: dict[str, PictureSheet] = field(default_factory=dict)


def assets_of(effect: Effect) -> tuple[list[str], list[str]]:
    """Ids of the meshes and pictures that an effect names and that do not ship."""
    meshes = {shape.asset for shape in effect.shapes if getattr(shape, "asset", None)}  # type: ignore[attr-defined]
    pictures = {name for look in effect.looks for _path, name in references(look, "picture")}
    return sorted(meshes), sorted(pictures - set(shipped_pictures()))


def collect(effects: list[tuple[Effect, bytes | None]], assets: Assets, mesh_names: dict[str, str]) -> Baggage:
    """Effects with all that they need. What is missing here stays missing: the effect says so where it is opened.

    Assets that go by another name where they come from (files beside a document) travel under the digest of what they hold.
    """
    baggage = Baggage([])
    for effect, poster in effects:
        document = effect.model_dump()
        meshes, pictures = assets_of(effect)
        renamed: dict[str, str] = {}
        for asset in meshes:
            try:
                mesh = assets.mesh(asset)
            except MissingAsset:
                continue
            renamed[asset] = mesh_id(mesh)
            baggage.meshes[renamed[asset]] = (mesh_names.get(asset, asset), mesh)
        for asset in pictures:
            try:
                sheet = assets.picture(asset)
            except MissingAsset:
                continue
            renamed[asset] = picture_id(sheet)
            baggage.pictures[renamed[asset]] = sheet
        for collection, field_name in (("shapes", "asset"), ("looks", "picture")):
            for item in document[collection]:
                if item.get(field_name) in renamed:
                    item[field_name] = renamed[item[field_name]]
        baggage.effects.append(Traveller(document, poster))
    return baggage


def pack_effects(baggage: Baggage) -> bytes:
    """The file."""
    entries: dict[str, bytes] = {}
    listed = []
    for number, one in enumerate(baggage.effects, 1):
        entry = {"name": one.document.get("name", ""), "document": f"effects/{number}.json"}
        entries[entry["document"]] = (json.dumps(one.document, indent=1, ensure_ascii=False) + "\n").encode()
        if one.poster is not None:
            entry["poster"] = f"effects/{number}.png"
            entries[entry["poster"]] = one.poster
        listed.append(entry)
    for asset, (_name, mesh) in sorted(baggage.meshes.items()):
        entries[f"meshes/{asset}.ply"] = _ply(mesh)
    for asset, sheet in sorted(baggage.pictures.items()):
        entries[f"pictures/{asset}.png"] = sheet.png
    described = {
        asset: {"name": s.name, "columns": s.columns, "rows": s.rows, "count": s.count, "width": s.width, "height": s.height}
        for asset, s in sorted(baggage.pictures.items())
    }
    manifest = {
        "hailridge": VERSION, "schema": FORMAT, "effects": listed,
        "meshes": {asset: name for asset, (name, _mesh) in sorted(baggage.meshes.items())}, "pictures": described,
    }  # fmt: skip
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED, compresslevel=6) as archive:
        for name, data in {"manifest.json": (json.dumps(manifest, indent=1, ensure_ascii=False) + "\n").encode(), **entries}.items():
            # No date of its own: the same effects make the same bytes. PNG is compressed already.
            way = zipfile.ZIP_STORED if name.endswith(".png") else zipfile.ZIP_DEFLATED
            archive.writestr(zipfile.ZipInfo(name, (1980, 1, 1, 0, 0, 0)), data, way)
    return out.getvalue()


def unpack_effects(name: str, data: bytes) -> Baggage:
    """Read a file; documents are taken as they are, and checked by whoever takes them in.

    Raises
    ------
    TravelError
        Naming the file and what is wrong: no ZIP, no manifest, written by a newer Hailridge, an entry that is missing or not what it says.
    """
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            if sum(entry.file_size for entry in archive.infolist()) > MOST_UNPACKED:
                raise TravelError(f"'{name}' holds more than {MOST_UNPACKED / 1e6:.0f} MB when it is unpacked")
            return _read(name, archive)
    except (zipfile.BadZipFile, NotImplementedError, RuntimeError, EOFError, OSError):
        raise TravelError(f"'{name}' is no file of effects, or damaged") from None


def _read(name: str, archive: zipfile.ZipFile) -> Baggage:
    manifest = _json(name, archive, "manifest.json")
    if not isinstance(manifest, dict) or not isinstance(manifest.get("hailridge"), int):
        raise TravelError(f"'{name}' is no file of effects: its manifest does not say so")
    if manifest["hailridge"] > VERSION or (isinstance(manifest.get("schema"), int) and manifest["schema"] > FORMAT):
        raise TravelError(f"'{name}' was written by a newer Hailridge than this one")
    listed = manifest.get("effects")
    if not isinstance(listed, list) or not listed or len(listed) > MOST_EFFECTS or not all(isinstance(entry, dict) for entry in listed):
        raise TravelError(f"'{name}' lists no effects")
    baggage = Baggage([])
    for entry in listed:
        document = _json(name, archive, str(entry.get("document", "")))
        if not isinstance(document, dict):
            raise TravelError(f"'{name}' is damaged: '{entry.get('document', '')}' holds no document")
        baggage.effects.append(Traveller(document, _poster(name, archive, entry.get("poster"))))
    meshes, pictures = manifest.get("meshes", {}), manifest.get("pictures", {})
    if not isinstance(meshes, dict) or not isinstance(pictures, dict):
        raise TravelError(f"'{name}' is damaged: its manifest lists no assets")
    for asset, label in meshes.items():
        mesh = _mesh(name, asset, _entry(name, archive, f"meshes/{asset}.ply"))
        baggage.meshes[asset] = (str(label)[:LONGEST_NAME], mesh)
    for asset, told in pictures.items():
        baggage.pictures[asset] = _picture(name, asset, told, _entry(name, archive, f"pictures/{asset}.png"))
    return baggage


def _entry(name: str, archive: zipfile.ZipFile, entry: str) -> bytes:
    try:
        return archive.read(entry)
    except KeyError:
        raise TravelError(f"'{name}' is damaged: '{entry}' is missing in it") from None


def _json(name: str, archive: zipfile.ZipFile, entry: str) -> Any:
    data = _entry(name, archive, entry)
    if len(data) > LARGEST_DOCUMENT:
        raise TravelError(f"'{name}' holds a document of {len(data) / 1e6:.0f} MB; the limit is {LARGEST_DOCUMENT / 1e6:.0f} MB")
    try:
        return json.loads(data)
    except (ValueError, RecursionError):
        raise TravelError(f"'{name}' is damaged: '{entry}' is not JSON") from None


def _poster(name: str, archive: zipfile.ZipFile, entry: Any) -> bytes | None:
    if not isinstance(entry, str):
        return None
    data = _entry(name, archive, entry)
    try:
        read_pictures([(entry, data)])
    except PictureError:
        return None
    return data if len(data) <= LARGEST_POSTER else None


_FACE = np.dtype([("count", "u1"), ("corners", "<i4", 3)])


def _head(vertices: int, faces: int) -> bytes:
    """The head of a mesh's PLY file; as meshes are named by what they hold, there is no other way to write one."""
    return (
        f"ply\nformat binary_little_endian 1.0\nelement vertex {vertices}\nproperty float x\nproperty float y\nproperty float z\n"
        f"element face {faces}\nproperty list uchar int vertex_indices\nend_header\n"
    ).encode()


def _ply(mesh: Mesh) -> bytes:
    """Binary PLY that `_mesh` reads back bit for bit."""
    faces = np.empty(len(mesh.faces), _FACE)
    faces["count"], faces["corners"] = 3, mesh.faces
    return _head(len(mesh.vertices), len(mesh.faces)) + np.ascontiguousarray(mesh.vertices, "<f4").tobytes() + faces.tobytes()


def _mesh(name: str, asset: str, data: bytes) -> Mesh:
    told = re.search(rb"element vertex (\d{1,9})\n.*element face (\d{1,9})\n", data[:400], re.DOTALL)
    places, count = (int(told[1]), int(told[2])) if told else (0, 0)
    head = _head(places, count)
    if not data.startswith(head) or len(data) != len(head) + places * 12 + count * _FACE.itemsize or not 0 < count <= MOST_TRIANGLES:
        raise TravelError(f"'{name}' is damaged: the mesh {asset} cannot be read")
    vertices = np.frombuffer(data, "<f4", places * 3, len(head)).reshape(-1, 3).astype(np.float32)
    faces = np.frombuffer(data, _FACE, count, len(head) + places * 12)
    mesh = Mesh(vertices, np.ascontiguousarray(faces["corners"], np.int32))
    sound = (faces["count"] == 3).all() and mesh.faces.min() >= 0 and mesh.faces.max() < places
    if not sound or not np.isfinite(vertices).all() or np.abs(vertices).max() > FURTHEST or mesh_id(mesh) != asset:
        raise TravelError(f"'{name}' is damaged: the mesh {asset} is not what its name says")
    return mesh


def _picture(name: str, asset: str, told: Any, data: bytes) -> PictureSheet:
    try:
        numbers = {key: int(told[key]) for key in ("columns", "rows", "count", "width", "height")}
        read = read_pictures([(f"{asset}.png", data)], numbers["columns"], numbers["rows"])
        sheet = PictureSheet(str(told["name"])[:80], numbers["columns"], numbers["rows"], numbers["count"], read.width, read.height, data)
        if not 1 <= sheet.count <= sheet.columns * sheet.rows or picture_id(sheet) != asset:
            raise ValueError
    except (PictureError, LookupError, TypeError, ValueError):
        raise TravelError(f"'{name}' is damaged: the picture {asset} is not what its name says") from None
    return sheet
