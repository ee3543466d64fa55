"""The demo effects of the Hailridge weather station, as documents with their small meshes, and the starter for new effects."""

from __future__ import annotations

import json
from functools import cache
from pathlib import Path
from typing import Any

from hailridge.core.scene.assets import MemoryAssets, Mesh
from hailridge.formats.meshes import mesh_id, read_mesh
from hailridge.shipped import STARTER, demo_names

FOLDER = Path(__file__).parent

STARTERS = {
    "fountain": ("Fountain", "thrown up, falling onto a floor"),
    "surface": ("From a surface", "leaving a ball on all sides"),
    "one": ("One particle", "a flash, a flare, a leader"),
    "filling": ("Filling a shape", "a lattice inside a box"),
    "falling": ("Falling on a shape", "onto a ball and a floor"),
    "empty": ("Empty", "a group and nothing else"),
}
"""What a new effect may begin with: their titles and a word about each, in the order in which they are offered."""


names = demo_names


@cache
def meshes() -> dict[str, Mesh]:
    """The meshes that ship, by file name; read by the same importer as anybody's."""
    return {path.name: read_mesh(path.name, path.read_bytes()) for path in sorted((FOLDER / "meshes").glob("*.obj"))}


def document(name: str) -> dict[str, Any]:
    """A demo's document. Meshes are named by file there; here they get the ids that the library gives them."""
    path = FOLDER / "starters" / "fountain.json" if name == STARTER else FOLDER / f"{name}.json"
    raw: dict[str, Any] = json.loads(path.read_text(encoding="utf-8"))
    for shape in raw["shapes"]:
        if shape["kind"] == "mesh":
            shape["asset"] = mesh_id(meshes()[shape["asset"]])
    return raw


def poster(name: str) -> bytes:
    """The demo's picture for the library as PNG, so that it is not empty before anything has run (made by `docs/take_screenshots.py`)."""
    return (FOLDER / "posters" / f"{name}.png").read_bytes()


@cache
def opening(name: str) -> bytes | None:
    """What the stage shows of a demo as it opens, at frame 0, as WebP: it is there before anything is drawn (made by `docs/take_screenshots.py`).

    None for a demo that no longer ships.
    """
    file = FOLDER / "openings" / f"{name}.webp"
    return file.read_bytes() if file.exists() else None


def starter(name: str = "fountain") -> dict[str, Any]:
    """What a new effect begins with; without a name a source, a group, a look, gravity and a floor, running.

    Raises
    ------
    KeyError
        Where there is no starting point of that name.
    """
    if name not in STARTERS:
        raise KeyError(name)
    raw: dict[str, Any] = json.loads((FOLDER / "starters" / f"{name}.json").read_text(encoding="utf-8"))
    return raw


def starter_picture(name: str) -> bytes:
    """A starting point's picture as PNG (made by `docs/take_screenshots.py`)."""
    return (FOLDER / "starters" / f"{name}.png").read_bytes()


def assets() -> MemoryAssets:
    """The shipped meshes by library id."""
    return MemoryAssets({mesh_id(mesh): mesh for mesh in meshes().values()})
