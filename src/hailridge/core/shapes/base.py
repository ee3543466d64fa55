"""What all shapes share: an id, a label and a transform."""

from __future__ import annotations

from typing import Any

import numpy as np

from hailridge.core.geometry import Geometry, rotation_matrix
from hailridge.model import fields
from hailridge.model.kind import Identifier, Label, Vector
from hailridge.model.parts import Shape


class PlacedShape(Shape):
    """A shape in its own space, put into the world by position, rotation (degrees about x, then y, then z) and one scale."""

    id: Identifier
    label: Label
    visible: bool = True
    position: Vector = fields.vector([0.0, 0.0, 0.0], unit="m", label="Position")
    rotation: Vector = fields.vector([0.0, 0.0, 0.0], unit="deg", label="Turned")
    scale: float = fields.number(1.0, low=1e-4, high=1e4, soft=(0.1, 10), label="Scale")

    def local(self, assets: Any) -> Geometry:
        """Triangles in the shape's own space."""
        raise NotImplementedError

    def geometry(self, assets: Any) -> Geometry:
        local = self.local(assets)
        turned = (local.vertices.astype(np.float64) * self.scale) @ rotation_matrix(self.rotation).T + self.position
        return Geometry(turned.astype(np.float32), local.faces)
