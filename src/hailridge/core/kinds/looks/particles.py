"""Looks for single particles: dots, discs, balls, sheets."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from hailridge.core.kinds.looks.base import ParticleLook
from hailridge.core.kinds.looks.drawn import Layer
from hailridge.core.scene.moment import Moment
from hailridge.core.state.particles import Rows, number_of
from hailridge.model import fields
from hailridge.model.parts import Amount

REST = "[, {size} their radius][, opacity {opacity}][, {mixing}][, {tiny}]"
"""How sentences of looks go on."""


class Balls(ParticleLook):
    title: ClassVar[str] = "balls"
    also: ClassVar[str] = "spheres"
    rank: ClassVar[int] = 0
    sentence: ClassVar[str] = "{who} as balls" + REST
    help: ClassVar[str] = "Shaded balls as large as the particles are."
    shader: ClassVar[str] = "ball"

    kind: Literal["balls"] = "balls"


class Discs(ParticleLook):
    title: ClassVar[str] = "discs"
    also: ClassVar[str] = "soft sprites round smoke glow"
    rank: ClassVar[int] = 1
    sentence: ClassVar[str] = "{who} as flat discs[ with edges {softness} soft]" + REST
    help: ClassVar[str] = "Flat discs that face the camera, as large as the particles are; with soft edges they melt into one another."
    shader: ClassVar[str] = "disc"

    kind: Literal["discs"] = "discs"
    softness: float = fields.number(0.0, unit="share", low=0, high=1, soft=(0, 1), label="Softness of the edge", still=True)

    def draw(self, moment: Moment, rows: Rows) -> Layer:
        layer = super().draw(moment, rows)
        layer.settings["softness"] = self.softness
        return layer


class Dots(ParticleLook):
    title: ClassVar[str] = "dots"
    also: ClassVar[str] = "points pixels"
    rank: ClassVar[int] = 2
    sentence: ClassVar[str] = "{who} as dots {pixels} wide[, opacity {opacity}][, {mixing}]"
    help: ClassVar[str] = "Dots whose size on screen is the same however far away they are, so that nothing is too small to find."
    shader: ClassVar[str] = "dot"

    kind: Literal["dots"] = "dots"
    pixels: Amount = fields.amount(3.0, unit="px", low=0, high=64, soft=(1, 16), label="Width")

    def draw(self, moment: Moment, rows: Rows) -> Layer:
        layer = super().draw(moment, rows)
        widths = np.asarray(self.pixels.give(moment, rows), np.float32)
        layer.radius = np.ascontiguousarray(np.broadcast_to(widths / 2, (number_of(rows),)), np.float32)
        return layer


class Sheets(ParticleLook):
    title: ClassVar[str] = "sheets"
    also: ClassVar[str] = "paper flat squares"
    rank: ClassVar[int] = 4
    sentence: ClassVar[str] = "{who} as flat sheets, turned as they are, {ratio} as wide as long" + REST
    help: ClassVar[str] = (
        "Flat rectangles as long as the particle is wide, lying square to its own y axis: they turn as it turns, and show their edge. For "
        "paper, leaves, flakes and chaff."
    )
    shader: ClassVar[str] = "sheet"
    turns: ClassVar[bool] = True

    kind: Literal["sheets"] = "sheets"
    ratio: float = fields.number(0.6, low=0.05, high=1, soft=(0.1, 1), label="Width for a length of 1", still=True)

    def draw(self, moment: Moment, rows: Rows) -> Layer:
        layer = super().draw(moment, rows)
        layer.settings["ratio"] = self.ratio
        return layer
