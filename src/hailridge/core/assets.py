"""Where meshes come from: a small interface that the store, the tests and the command line each fill in their own way."""

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


class MissingAsset(LookupError):
    """A shape names a mesh that is not in the library."""


class Assets(Protocol):
    """Gives meshes by the id that a mesh shape carries."""

    def mesh(self, asset: str) -> Mesh:
        """Raises MissingAsset where there is none."""
        ...


class MemoryAssets:
    """Meshes held in a dictionary, for tests and workers."""

    def __init__(self, meshes: dict[str, Mesh] | None = None) -> None:
        self.meshes = dict(meshes or {})

    def mesh(self, asset: str) -> Mesh:
        try:
            return self.meshes[asset]
        except KeyError:
            raise MissingAsset(asset) from None
