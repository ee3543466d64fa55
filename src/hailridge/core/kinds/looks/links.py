"""Lines between particles that are near one another."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

import numpy as np

from hailridge.core.kinds.looks.base import GroupLook
from hailridge.core.kinds.looks.drawn import Layer, Ribbons
from hailridge.core.scene.moment import Moment
from hailridge.core.scene.near import nearest_of
from hailridge.core.state.particles import Rows, as_indices
from hailridge.model import fields
from hailridge.model.parts import Amount

MOST_LINKS = 200_000


class Links(GroupLook):
    title: ClassVar[str] = "links"
    also: ClassVar[str] = "lines between web connect"
    rank: ClassVar[int] = 7
    sentence: ClassVar[str] = (
        "{who} linked to {to} within {reach}, at most {most} each, by lines {width} wide[, {fading}][, opacity {opacity}][, {mixing}]"
    )
    help: ClassVar[str] = (
        "Draws a line from each particle to the nearest others within reach. Lines run from the colour of one end to that of the other, and fade as "
        "ends draw apart, so that none appears or goes with a jerk."
    )
    shader: ClassVar[str] = "ribbon"

    kind: Literal["links"] = "links"
    to: list[str] = fields.reference("group", label="To", many="everyone")
    reach: float = fields.number(0.3, unit="m", low=1e-4, high=1e4, soft=(0.05, 3), label="Within")
    most: int = fields.number(3, low=1, high=16, soft=(1, 8), step=1, whole=True, label="At most")
    width: Amount = fields.amount(0.006, unit="m", low=0, high=100, soft=(0.001, 0.05), label="Width")
    fading: bool = fields.flag(True, label="With distance", yes="fading with distance", no="as strong at any distance")

    def draw(self, moment: Moment, rows: Rows) -> Layer:
        indices = as_indices(rows)
        found, distances = nearest_of(moment, rows, self.reach, self.to, self.most)
        starts = np.repeat(indices, self.most).astype(np.int64)
        ends, apart = found.ravel(), distances.ravel()
        there = ends >= 0
        starts, ends, apart = starts[there], ends[there], apart[there]
        # A pair that found each other is one line.
        pairs, first = np.unique(np.stack([np.minimum(starts, ends), np.maximum(starts, ends)], axis=1), axis=0, return_index=True)
        cut = max(0, len(pairs) - MOST_LINKS)
        pairs, apart = pairs[:MOST_LINKS], apart[first][:MOST_LINKS]
        everyone: Any = moment.everyone()
        painted = self.paint(moment, everyone)
        widths = np.broadcast_to(np.asarray(self.width.give(moment, everyone), np.float32), (moment.count,))
        number = len(pairs)
        points, color = np.zeros((number, 4, 4), np.float32), np.zeros((number, 4, 4), np.uint8)
        places = moment.column("position")
        fade = np.clip(1.4 * (1 - apart / np.float32(self.reach)), 0, 1) if self.fading else np.ones(number, np.float32)
        for end, (inner, outer) in enumerate(((1, 0), (2, 3))):
            who = pairs[:, end]
            points[:, inner, :3] = points[:, outer, :3] = places.take(who, axis=0)
            points[:, inner, 3] = widths[who] / 2
            color[:, inner] = painted.take(who, axis=0)
            color[:, inner, 3] = color[:, inner, 3] * fade
            color[:, outer, :3] = color[:, inner, :3]
        firsts = pairs[:, 0]
        return Ribbons(
            self.id, self.shader, points[:, 1, :3].copy(), points[:, 1, 3].copy(), color.reshape(-1, 4), moment.column("id")[firsts],
            moment.column("group")[firsts].astype(np.uint8), {"mixing": self.mixing, "tiny": True, "lines": number, "cut": cut},
            {"points": points.reshape(-1, 4), "starts": np.arange(number + 1, dtype=np.int32) * 4},
        )  # fmt: skip
