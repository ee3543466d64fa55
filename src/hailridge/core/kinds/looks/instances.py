"""Particles as solid forms: one of a few that ship, or shapes of the scene, meshes included."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from hailridge.core.kinds.looks.base import ParticleLook
from hailridge.core.kinds.looks.drawn import Layer
from hailridge.core.kinds.looks.particles import REST
from hailridge.core.kinds.looks.picking import picked
from hailridge.core.kinds.shapes.revolved import revolved
from hailridge.core.kinds.shapes.round import Box
from hailridge.core.scene.moment import Moment
from hailridge.core.scene.plan import Scene
from hailridge.core.space.geometry import Geometry
from hailridge.core.state.particles import Rows
from hailridge.model import fields
from hailridge.model.parts import Picking

FORMS = {"block": "blocks", "pebble": "pebbles", "cone": "cones", "rod": "rods", "splinter": "splinters", "plate": "plates"}


class Instances(ParticleLook):
    title: ClassVar[str] = "solid forms"
    also: ClassVar[str] = "meshes stones copies geometry"
    rank: ClassVar[int] = 5
    sentence: ClassVar[str] = "{who} as {form}[ shaped like {shapes}][, picked {picking}]" + REST
    help: ClassVar[str] = (
        "A solid form at each particle, scaled by its radius and turned as it is. Take one that ships, or shapes of the scene, imported meshes "
        "among them; of several, *picked* says which. A shape fits into the particle whatever its own size."
    )
    shader: ClassVar[str] = "form"
    turns: ClassVar[bool] = True

    kind: Literal["instances"] = "instances"
    form: Literal["block", "pebble", "cone", "rod", "splinter", "plate"] = fields.choice("block", FORMS, label="Form")
    shapes: list[str] = fields.reference(
        "shape", label="Shaped like", many="no shape of the scene", help="Shapes of the scene to be used instead of the form."
    )
    picking: Picking = fields.slot("picking", {"kind": "at_random"}, label="Picked")

    def draw(self, moment: Moment, rows: Rows) -> Layer:
        layer = super().draw(moment, rows)
        number = max(1, len(self.shapes))
        cells = picked(self.picking, moment, rows, number)
        if number > 1:
            # Form by form, so that each can be drawn at once.
            order = np.argsort(cells, kind="stable")
            layer = Layer(
                layer.look, layer.shader, layer.position[order], layer.radius[order], layer.color[order], layer.id[order], layer.group[order],
                layer.settings, {name: array[order] for name, array in layer.extra.items()},
            )  # fmt: skip
        layer.settings["starts"] = np.concatenate([[0], np.cumsum(np.bincount(cells, minlength=number))]).tolist()
        return layer

    def forms(self, scene: Scene) -> list[Geometry]:
        """The forms in the order in which they are picked, each within a ball of radius 1 about its middle."""
        if not self.shapes:
            return [_unit(_shipped(self.form))]
        return [_unit(scene.pose(name).geometry) for name in self.shapes]


def _shipped(form: str) -> Geometry:
    match form:
        case "pebble":
            angles = np.linspace(-np.pi / 2, np.pi / 2, 9)
            return revolved([(float(max(0.0, np.cos(a))) if abs(a) < 1.57 else 0.0, float(np.sin(a)) * 0.72) for a in angles], segments=14)
        case "cone":
            return revolved([(0.0, -0.6), (0.7, -0.6), (1e-6, 0.9)], segments=16)
        case "rod":
            return revolved([(0.0, -1.0), (0.14, -1.0), (0.14, 1.0), (0.0, 1.0)], segments=10)
        case "splinter":
            return revolved([(0.0, -1.0), (0.2, -0.2), (0.0, 1.0)], segments=4)
        case "plate":
            return revolved([(0.0, -0.06), (1.0, -0.06), (1.0, 0.06), (0.0, 0.06)], segments=6)
        case _:
            half = 1 / np.sqrt(3)
            sides: Any = {"id": "form", "label": "Form", "size": [2 * half] * 3}
            return Box.model_validate(sides).local(None)


def _unit(geometry: Geometry) -> Geometry:
    """Moved to its middle and scaled so that its furthest vertex is 1 m away."""
    vertices: NDArray[np.float32] = geometry.vertices
    low, high = vertices.min(axis=0), vertices.max(axis=0)
    centred = vertices - (low + high) / 2
    reach = float(np.sqrt((centred**2).sum(axis=1).max(initial=0.0)))
    if len(geometry.faces) == 0 or reach < 1e-9:
        return _shipped("block")
    return Geometry(centred / np.float32(reach), geometry.faces)
