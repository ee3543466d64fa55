"""What all shapes share: an id, a label, a transform, a parent, a path to follow, and roughness."""

from __future__ import annotations

from typing import Any, ClassVar

from hailridge.core.space.geometry import Geometry
from hailridge.model import fields
from hailridge.model.effect import ItemSeed
from hailridge.model.kind import Identifier, Label, Vector
from hailridge.model.parts import Shape

MOVED = ("position", "rotation", "scale", "travel", "lap")
"""Fields that only say where a shape is; keyframes on any other one change its form."""


class PlacedShape(Shape):
    """A shape in its own space, put into the world by position, rotation (degrees about x, then y, then z) and one scale.

    With a parent, or a path, those are within the parent's space, or relative to the place on the path.
    """

    tail: ClassVar[str] = (
        "[, turned {rotation}][, scaled {scale}][, carried by {parent}][, along {path} at {travel}[, round it every {lap}][, {facing}]]"
        "[, roughened by {roughness}, {roughness_size} across[, changing {roughness_change}]]"
    )

    id: Identifier
    label: Label
    visible: bool = True
    position: Vector = fields.vector([0.0, 0.0, 0.0], unit="m", label="Position")
    rotation: Vector = fields.vector([0.0, 0.0, 0.0], unit="deg", label="Turned")
    scale: float = fields.number(1.0, low=1e-4, high=1e4, soft=(0.1, 10), label="Scale")
    parent: str | None = fields.reference(
        "shape", label="Carried by", optional="nothing", help="A shape that carries this one: when it moves, turns or scales, so does this."
    )
    path: str | None = fields.reference("shape", label="Moves along", optional="no path", help="A path to move along.", only=("path",))
    travel: float = fields.number(0.0, unit="percent", low=-1e4, high=1e4, soft=(0, 100), label="Place on the path")
    lap: float = fields.number(
        0.0, unit="s", low=0, high=1e5, soft=(0, 20), label="Once round every (0: only by its place)", help="How long it takes from end to end."
    )
    facing: bool = fields.flag(False, label="Turns with the path", yes="turning with it", no="not turning")
    roughness: float = fields.number(
        0.0, unit="m", low=0, high=1e4, soft=(0, 1), label="Roughness", help="How far noise moves the surface in and out."
    )
    roughness_size: float = fields.number(0.5, unit="m", low=1e-3, high=1e4, soft=(0.05, 5), label="Size of its bumps")
    roughness_change: float = fields.number(0.0, unit="1/s", low=0, high=1000, soft=(0, 3), label="Change of its bumps")
    roughness_seed: ItemSeed = fields.number(0, low=0, high=2**31 - 1, whole=True, label="Seed of its bumps")

    @property
    def outside(self) -> bool:
        """Whether births on the surface of joined shapes leave out what is inside another of them."""
        return False

    @property
    def joined(self) -> tuple[str, ...]:
        """Ids of the shapes that it is made of, where it is made of others."""
        return ()

    @property
    def endless(self) -> bool:
        """Whether it is a way that ends where it begins."""
        return False

    def local(self, assets: Any) -> Geometry:
        """The shape in its own space."""
        raise NotImplementedError
