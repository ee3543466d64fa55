from __future__ import annotations

from typing import Any, ClassVar, Literal

import numpy as np

from hailridge.core.scene.placed import PlacedShape
from hailridge.core.space.geometry import Geometry
from hailridge.model import fields


class Compound(PlacedShape):
    title: ClassVar[str] = "Compound"
    also: ClassVar[str] = "join combine cluster several"
    rank: ClassVar[int] = 21
    sentence: ClassVar[str] = "of {members}[, {buried}]" + PlacedShape.tail
    help: ClassVar[str] = (
        "Several shapes used as one: as a source they share its births by their area, as an obstacle they are solid together. Where they "
        "overlap, births on the surface also take what is buried inside another of them, unless only the outside is to count; a crease then has "
        "no more neighbours than any other place, so keep the buried parts to find gaps by counting (a roughened compound keeps them). The shapes "
        "themselves can go on being used. To move them together, let them be carried by the compound."
    )

    kind: Literal["compound"] = "compound"
    members: list[str] = fields.reference("shape", label="Made of", many="no shapes yet")
    buried: Literal["kept", "left_out"] = fields.choice(
        "kept", {"kept": "buried parts too", "left_out": "only the outside"}, label="Births on the surface",
    )  # fmt: skip

    @property
    def joined(self) -> tuple[str, ...]:
        return tuple(self.members)

    @property
    def outside(self) -> bool:
        return self.buried == "left_out"

    def local(self, assets: Any) -> Geometry:
        # What it is made of is known only where all shapes are (see `core.scene.bodies`).
        return Geometry(np.zeros((1, 3), np.float32))
