from __future__ import annotations

from typing import Any, ClassVar, Literal

from hailridge.core.scene.assets import Assets
from hailridge.core.scene.placed import PlacedShape
from hailridge.core.space.geometry import Geometry
from hailridge.model import fields


class MeshShape(PlacedShape):
    title: ClassVar[str] = "Imported mesh"
    also: ClassVar[str] = "model file import object"
    rank: ClassVar[int] = 20
    sentence: ClassVar[str] = "{asset} at {position}" + PlacedShape.tail
    help: ClassVar[str] = (
        "Triangles from a file (OBJ, PLY, STL, GLB or USD, in metres). As a source it is emitted from evenly by area; as an obstacle it is "
        "solid from both sides."
    )

    kind: Literal["mesh"] = "mesh"
    asset: str = fields.reference("asset", label="Mesh")

    def local(self, assets: Any) -> Geometry:
        library: Assets = assets
        mesh = library.mesh(self.asset)
        return Geometry(mesh.vertices, mesh.faces)
