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
import struct
import zipfile
import zlib
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from hailridge.core.scene.assets import Assets, Mesh, MissingAsset, PictureSheet
from hailridge.core.scene.shipped import shipped_pictures
from hailridge.formats.meshes import FURTHEST, MOST_TRIANGLES, mesh_id
from hailridge.formats.pictures import LARGEST_FILE as LARGEST_PICTURE
from hailridge.formats.pictures import PictureError, picture_id, read_pictures
from hailridge.model.effect import FORMAT, Effect
from hailridge.model.kind import references
from hailridge.model.soundness import LONGEST_DOCUMENT

VERSION = 1
SUFFIX = ".hailridge.zip"
MOST_UNPACKED = 600 * 1024 * 1024
"""Bytes of all that a file holds, unpacked."""

MOST_DOCUMENTS = 64 * 1024 * 1024
"""Bytes of all its documents: 500 hand-made ones have some 5 million."""

LARGEST_DOCUMENT = 2 * LONGEST_DOCUMENT
"""Bytes of one as it is written, with the spaces between its parts."""

MOST_VALUES = 2_000_000
"""Numbers, texts, lists and objects of all its documents: what they take once they are read, some 70 bytes each."""

LARGEST_POSTER = 2 * 1024 * 1024
LARGEST_MESH = 25 * MOST_TRIANGLES + 4096
"""Bytes; a mesh that has more corners than half its triangles has holes, and some have."""

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
            return _read(name, _Entries(name, archive))
    except TravelError:
        raise
    except (zipfile.BadZipFile, zlib.error, struct.error, NotImplementedError, RuntimeError, EOFError, OSError, ValueError):
        raise TravelError(f"'{name}' is no file of effects, or damaged") from None


class _Entries:
    """What a file holds, read entry by entry: each once, and none before its size is known to be one that can be meant."""

    def __init__(self, name: str, archive: zipfile.ZipFile) -> None:
        self.name, self.archive = name, archive
        self.read: set[str] = set()
        self.documents = self.values = 0
        if sum(entry.file_size for entry in archive.infolist()) > MOST_UNPACKED:
            raise TravelError(f"'{name}' holds more than {MOST_UNPACKED / 1e6:.0f} MB when it is unpacked")

    def take(self, entry: str, most: int, what: str) -> bytes:
        """The bytes of an entry, at most so many."""
        if entry in self.read:
            raise TravelError(f"'{self.name}' is damaged: it lists '{entry}' twice")
        self.read.add(entry)
        try:
            told = self.archive.getinfo(entry)
        except KeyError:
            raise TravelError(f"'{self.name}' is damaged: '{entry}' is missing in it") from None
        if told.file_size > most:
            raise TravelError(f"'{self.name}' holds {what} of {told.file_size / 1e6:.0f} MB; the limit is {most / 1e6:.0f} MB")
        with self.archive.open(told) as file:
            return file.read(most + 1)

    def json(self, entry: str, what: str) -> Any:
        """What an entry says as JSON."""
        data = self.take(entry, LARGEST_DOCUMENT, what)
        self.documents += len(data)
        if self.documents > MOST_DOCUMENTS:
            raise TravelError(f"'{self.name}' holds more than {MOST_DOCUMENTS / 1e6:.0f} MB of documents")
        # Each but the first of a list or object stands behind a comma, each list and object begins with a bracket.
        self.values += 1 + sum(data.count(mark) for mark in (b",", b"[", b"{"))
        if self.values > MOST_VALUES:
            raise TravelError(f"'{self.name}' holds more than {MOST_VALUES:,} values in its documents")
        try:
            return json.loads(data)
        except (ValueError, RecursionError):
            raise TravelError(f"'{self.name}' is damaged: '{entry}' is not JSON") from None


def _read(name: str, entries: _Entries) -> Baggage:
    manifest = entries.json("manifest.json", "a manifest")
    if not isinstance(manifest, dict) or not isinstance(manifest.get("hailridge"), int):
        raise TravelError(f"'{name}' is no file of effects: its manifest does not say so")
    if manifest["hailridge"] > VERSION or (isinstance(manifest.get("schema"), int) and manifest["schema"] > FORMAT):
        raise TravelError(f"'{name}' was written by a newer Hailridge than this one")
    listed = manifest.get("effects")
    if not isinstance(listed, list) or not listed or len(listed) > MOST_EFFECTS or not all(isinstance(entry, dict) for entry in listed):
        raise TravelError(f"'{name}' lists no effects")
    baggage = Baggage([])
    for entry in listed:
        document = entries.json(str(entry.get("document", "")), "a document")
        if not isinstance(document, dict):
            raise TravelError(f"'{name}' is damaged: '{entry.get('document', '')}' holds no document")
        baggage.effects.append(Traveller(document, _poster(entries, entry.get("poster"))))
    meshes, pictures = manifest.get("meshes", {}), manifest.get("pictures", {})
    if not isinstance(meshes, dict) or not isinstance(pictures, dict):
        raise TravelError(f"'{name}' is damaged: its manifest lists no assets")
    for asset, label in meshes.items():
        mesh = _mesh(name, asset, entries.take(f"meshes/{asset}.ply", LARGEST_MESH, "a mesh"))
        baggage.meshes[asset] = (str(label)[:LONGEST_NAME], mesh)
    for asset, told in pictures.items():
        baggage.pictures[asset] = _picture(name, asset, told, entries.take(f"pictures/{asset}.png", LARGEST_PICTURE, "a picture"))
    return baggage


def _poster(entries: _Entries, entry: Any) -> bytes | None:
    if not isinstance(entry, str):
        return None
    data = entries.take(entry, LARGEST_POSTER, "a poster")
    try:
        read_pictures([(entry, data)])
    except PictureError:
        return None
    return data


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
