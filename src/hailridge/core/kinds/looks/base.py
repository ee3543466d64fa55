"""What looks of particles share: whom they draw, how large, how solid, and layers of colour."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

import numpy as np

from hailridge.core.kinds.looks.drawn import Layer
from hailridge.core.kinds.looks.layers import laid_over
from hailridge.core.scene.moment import Moment
from hailridge.core.state.orientation import upright
from hailridge.core.state.particles import Rows, number_of
from hailridge.model import fields
from hailridge.model.kind import Identifier
from hailridge.model.parts import Amount, ColorLayer, Look

MIXING = {"over": "over what is behind", "light": "adding light"}


class GroupLook(Look):
    """Whom a look draws, and their colours."""

    id: Identifier
    enabled: bool = True
    who: list[str] = fields.reference("group", label="Who", many="Everyone")
    opacity: Amount = fields.amount(1.0, unit="share", low=0, high=1, soft=(0, 1), label="Opacity", help="Multiplies the particle's own opacity.")
    mixing: Literal["over", "light"] = fields.choice(
        "over", MIXING, label="Drawn", help="*Adding light* brightens what is behind, for fire, sparks and glowing things: black adds nothing."
    )
    layers: list[ColorLayer] = fields.slot("layer", many=True, label="Colours")

    def paint(self, moment: Moment, rows: Rows, layers: list[ColorLayer] | None = None) -> Any:
        """Colour and opacity of `rows` as bytes: (k, 4); with some of the layers only, if they are given."""
        count = number_of(rows)
        out = np.empty((count, 4), np.uint8)
        for axis, channel in enumerate(np.broadcast_to(laid_over(moment, rows, self.layers if layers is None else layers), (3, count))):
            out[:, axis] = channel * np.float32(255) + np.float32(0.5)
        opacity = moment.column("opacity")[rows] * np.asarray(self.opacity.give(moment, rows), np.float32)
        out[:, 3] = np.clip(np.nan_to_num(opacity), 0, 1) * np.float32(255) + np.float32(0.5)
        return out


class ParticleLook(GroupLook):
    """What looks share that draw one thing at each particle."""

    size: Amount = fields.amount(1.0, unit="times", low=0, high=1000, soft=(0, 4), label="Size", help="Multiplies the particle's radius.")
    tiny: bool = fields.flag(
        True, label="Tiny ones", yes="tiny ones kept in sight", no="tiny ones as they are",
        help="Keeps those that would be less than a pixel or two wide, even of no radius at all, as a dot of that size.",
    )  # fmt: skip
    turns: ClassVar[bool] = False
    """Whether it shows how particles are turned."""

    def draw(self, moment: Moment, rows: Rows) -> Layer:
        radius = moment.column("radius")[rows] * np.asarray(self.size.give(moment, rows), np.float32)
        layer = Layer(
            self.id, self.shader, moment.read("position", rows), np.asarray(radius, np.float32), self.paint(moment, rows),
            moment.column("id")[rows], moment.column("group")[rows].astype(np.uint8), {"mixing": self.mixing, "tiny": self.tiny},
        )  # fmt: skip
        if self.turns:
            layer.extra["orientation"] = moment.read("orientation", rows) if moment.particles.has("orientation") else upright(number_of(rows))
        return layer
