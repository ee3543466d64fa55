"""Where meshes and pictures come from: a small interface that the store, the tests and the command line each fill in their own way."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Protocol

import numpy as np
from numpy.typing import NDArray


@dataclass(frozen=True)
class Mesh:
    """Validated triangles in metres: vertices (v, 3) float32, faces (f, 3) int32."""

    vertices: NDArray[np.float32]
    faces: NDArray[np.int32]


@dataclass(frozen=True)
class PictureSheet:
    """A set of drawings as one PNG cut into cells, row by row; the first `count` cells hold drawings. `width`, `height` in pixels."""

    name: str
    columns: int
    rows: int
    count: int
    width: int
    height: int
    png: bytes

    @property
    def ratio(self) -> float:
        """Width of a cell for a height of 1."""
        return (self.width / self.columns) / (self.height / self.rows)


class MissingAsset(LookupError):
    """A shape names a mesh, or a look a picture, that is not in the library."""


class Assets(Protocol):
    """Gives meshes by the id that a mesh shape carries."""

    def mesh(self, asset: str) -> Mesh:
        """Raises MissingAsset where there is none."""
        ...

    def picture(self, asset: str) -> PictureSheet:
        """One that was imported, not one that ships. Raises MissingAsset where there is none."""
        ...


class MemoryAssets:
    """Meshes and pictures held in dictionaries, for tests and workers."""

    def __init__(self, meshes: dict[str, Mesh] | None = None, pictures: dict[str, PictureSheet] | None = None) -> None:
        self.meshes, self.pictures = dict(meshes or {}), dict(pictures or {})

    def mesh(self, asset: str) -> Mesh:
        try:
            return self.meshes[asset]
        except KeyError:
            raise MissingAsset(asset) from None

    def picture(self, asset: str) -> PictureSheet:
        try:
            return self.pictures[asset]
        except KeyError:
            raise MissingAsset(asset) from None
