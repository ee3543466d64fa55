"""Looks for single particles: dots, discs, balls."""

from __future__ import annotations

from typing import ClassVar, Literal

from hailridge.model import fields
from hailridge.model.kind import Identifier
from hailridge.model.parts import Amount, Look

TINTS = {"own": "in their own colour", "group": "in the group's colour", "amount": "coloured"}


class ParticleLook(Look):
    """What dots, discs and balls share."""

    id: Identifier
    enabled: bool = True
    who: list[str] = fields.reference("group", label="Who", many="Everyone")
    tint: Literal["own", "group", "amount"] = fields.choice("own", TINTS, label="Colour")
    color: Amount = fields.amount([0.66, 0.83, 0.86], value="color", low=0, high=1, label="Coloured")


class Balls(ParticleLook):
    title: ClassVar[str] = "balls"
    sentence: ClassVar[str] = "{who} as balls of their true radius, {tint}"
    help: ClassVar[str] = "Shaded balls as large as the particles are."
    shader: ClassVar[str] = "ball"

    kind: Literal["balls"] = "balls"


class Discs(ParticleLook):
    title: ClassVar[str] = "discs"
    sentence: ClassVar[str] = "{who} as flat discs of their true radius, {tint}"
    help: ClassVar[str] = "Flat discs that face the camera, as large as the particles are."
    shader: ClassVar[str] = "disc"

    kind: Literal["discs"] = "discs"


class Dots(ParticleLook):
    title: ClassVar[str] = "dots"
    sentence: ClassVar[str] = "{who} as dots {pixels} wide, {tint}"
    help: ClassVar[str] = "Dots of the same size on screen however far away, so that nothing is too small to find."
    shader: ClassVar[str] = "dot"

    kind: Literal["dots"] = "dots"
    pixels: float = fields.number(3.0, unit="px", low=1, high=64, soft=(1, 16), label="Width")


class Sheets(ParticleLook):
    title: ClassVar[str] = "sheets"
    sentence: ClassVar[str] = "{who} as flat sheets, turned as they are, {ratio} as wide as long, {tint}"
    help: ClassVar[str] = (
        "Flat rectangles as long as the particle is wide, lying square to its own y axis: they turn as it turns, and show their edge. For "
        "paper, leaves, flakes and chaff."
    )
    shader: ClassVar[str] = "sheet"

    kind: Literal["sheets"] = "sheets"
    ratio: float = fields.number(0.6, low=0.05, high=1, soft=(0.1, 1), label="Width for a length of 1", still=True)
