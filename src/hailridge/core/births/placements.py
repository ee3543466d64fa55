"""Where on its shape a source gives birth."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

import numpy as np

from hailridge.core.geometry import Geometry, rotation_matrix
from hailridge.core.moment import Moment
from hailridge.core.randomness import points_in_ball, uniforms, upward
from hailridge.core.shapes.primitives import Ball, Box
from hailridge.model.parts import Placement


class Surface(Placement):
    title: ClassVar[str] = "on the surface"
    sentence: ClassVar[str] = "on the surface"
    help: ClassVar[str] = "Anywhere on the surface, evenly by area: a large triangle gets as many for its size as a small one."

    kind: Literal["surface"] = "surface"

    def place(self, moment: Moment, shape: Any, geometry: Geometry, keys: Any) -> Any:
        return geometry.on_surface(uniforms(keys, self.item, 0, moment.scene.seed))


class Inside(Placement):
    title: ClassVar[str] = "inside"
    sentence: ClassVar[str] = "inside"
    help: ClassVar[str] = (
        "Anywhere inside a box or a ball, evenly by volume. Other shapes have no inside yet: their surface is used, and an advisory says so."
    )

    kind: Literal["inside"] = "inside"

    def place(self, moment: Moment, shape: Any, geometry: Geometry, keys: Any) -> Any:
        u = uniforms(keys, self.item, 0, moment.scene.seed)
        if isinstance(shape, Ball):
            points, out = points_in_ball(u)
            return np.asarray(shape.position, np.float32) + points * np.float32(shape.radius * shape.scale), out
        if isinstance(shape, Box):
            local = (u[:, :3] - np.float32(0.5)) * np.asarray(shape.size, np.float32) * np.float32(shape.scale)
            turned = local @ rotation_matrix(shape.rotation).T.astype(np.float32) + np.asarray(shape.position, np.float32)
            return turned.astype(np.float32), upward(len(u))
        moment.find("advice", None, f"'{shape.label}' has no inside to be born in; its surface is used. Choose a box or a ball, or 'on the surface'.")
        return geometry.on_surface(u)


class Centre(Placement):
    title: ClassVar[str] = "at the centre"
    sentence: ClassVar[str] = "at the centre"
    help: ClassVar[str] = "All in one place: where the shape stands."

    kind: Literal["centre"] = "centre"

    def place(self, moment: Moment, shape: Any, geometry: Geometry, keys: Any) -> Any:
        return np.tile(np.asarray(shape.position, np.float32), (len(keys), 1)), upward(len(keys))
