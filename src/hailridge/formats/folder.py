"""Meshes and pictures that lie beside a document's file."""

from __future__ import annotations

from pathlib import Path

from hailridge.core.scene.assets import Assets, Mesh, MissingAsset, PictureSheet
from hailridge.formats.meshes import MeshError, read_mesh
from hailridge.formats.pictures import PictureError, read_pictures


class FolderAssets:
    """Gives meshes by file name from a folder, and whatever else `others` has by id."""

    def __init__(self, folder: Path, others: Assets) -> None:
        self.folder, self.others = folder, others

    def mesh(self, asset: str) -> Mesh:
        path = (self.folder / asset).resolve()
        if path.parent == self.folder.resolve() and path.is_file():
            try:
                return read_mesh(path.name, path.read_bytes())
            except MeshError:
                raise MissingAsset(asset) from None
        return self.others.mesh(asset)

    def picture(self, asset: str) -> PictureSheet:
        path = (self.folder / asset).resolve()
        if path.parent == self.folder.resolve() and path.is_file():
            try:
                return read_pictures([(path.name, path.read_bytes())])
            except PictureError:
                raise MissingAsset(asset) from None
        return self.others.picture(asset)
