"""Particles as small pictures with transparency: soft sprites facing the camera, or sheets that turn as particles do."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from hailridge.core.kinds.looks.base import ParticleLook
from hailridge.core.kinds.looks.drawn import Layer
from hailridge.core.kinds.looks.particles import REST
from hailridge.core.kinds.looks.picking import picked
from hailridge.core.scene.assets import MissingAsset
from hailridge.core.scene.moment import Moment
from hailridge.core.state.orientation import upright
from hailridge.core.state.particles import Rows, number_of
from hailridge.model import fields
from hailridge.model.parts import Amount, Picking

FACING = {"camera": "facing the camera", "own": "turned as they are"}


class Pictures(ParticleLook):
    title: ClassVar[str] = "pictures"
    also: ClassVar[str] = "sprites images cards textures"
    rank: ClassVar[int] = 3
    sentence: ClassVar[str] = "{who} as {picture}, {picking}[, {facing}][, rolled {roll}][, {coloring}]" + REST
    help: ClassVar[str] = (
        "A small picture at each particle, its longer side as long as the particle is wide. Where a set holds several drawings, *picked* "
        "says which: in order, at random, one after another with age. White parts take the particle's colour. Your own PNGs can be one sheet cut "
        "into columns and rows, or several files."
    )
    shader: ClassVar[str] = "picture"

    kind: Literal["pictures"] = "pictures"
    picture: str = fields.asset("picture", "soft", label="Picture")
    picking: Picking = fields.slot("picking", {"kind": "in_order"}, label="Picked")
    facing: Literal["camera", "own"] = fields.choice("camera", FACING, label="Facing")
    roll: Amount = fields.amount(
        0.0, unit="deg", low=-1e6, high=1e6, soft=(-180, 180), label="Rolled",
        help="Turns the picture about the line of sight, where it faces the camera.",
    )  # fmt: skip
    coloring: Literal["tinted", "own"] = fields.choice(
        "tinted", {"tinted": "tinted with the particle's colour", "own": "in the picture's own colours"}, label="Colouring"
    )

    def draw(self, moment: Moment, rows: Rows) -> Layer:
        layer, count = super().draw(moment, rows), number_of(rows)
        try:
            sheet = moment.scene.plan.picture(self.picture)
        except MissingAsset:
            # Soft discs stand in; the page says which picture is missing.
            layer.shader = "disc"
            layer.settings |= {"softness": 1.0, "missing": self.picture}
            return layer
        layer.extra["cell"] = picked(self.picking, moment, rows, sheet.count)
        if self.coloring == "own":
            layer.color[:, :3] = 255
        if self.facing == "own":
            layer.extra["orientation"] = moment.read("orientation", rows) if moment.particles.has("orientation") else upright(count)
        else:
            roll = np.radians(np.asarray(self.roll.give(moment, rows), np.float32))
            layer.extra["roll"] = np.ascontiguousarray(np.broadcast_to(roll, (count,)), np.float32)
        layer.settings |= {
            "picture": self.picture, "columns": sheet.columns, "rows": sheet.rows, "ratio": sheet.ratio, "facing": self.facing,
        }  # fmt: skip
        return layer
