"""Steering by the surfaces around: along them, away from them, over them at a height."""

from __future__ import annotations

from collections.abc import Iterator
from typing import ClassVar, Literal

import numpy as np

from hailridge.core.kinds.actions.push import Push
from hailridge.core.scene.moment import Moment
from hailridge.core.scene.sensing import nearest_of_surface
from hailridge.core.state.contributions import Contribution
from hailridge.core.state.particles import Rows
from hailridge.model import fields
from hailridge.model.parts import Amount

MANNERS = {"along": "turn along", "away": "keep away from", "over": "fly over"}


class SteerBySurface(Push):
    title: ClassVar[str] = "steer by a surface"
    also: ClassVar[str] = "avoid obstacle glide along climb over hover height terrain follow wall sense"
    rank: ClassVar[int] = 11
    sentence: ClassVar[str] = "{manner} {shape} within {within}[, at a height of {height}], halving what is wrong every {time}[, only in {where}]"
    help: ClassVar[str] = (
        "Feels a surface before it is hit. *Turn along*: what it moves toward the surface is taken away, so that it glides past. *Keep away*: within "
        "the distance it is sent back, the harder the nearer. *Fly over*: it keeps the height from the surface, up slopes and down again. It is no "
        "wall: whoever is too fast for it still gets through; make the shape solid, too, where that must not be."
    )

    kind: Literal["steer_by_surface"] = "steer_by_surface"
    manner: Literal["along", "away", "over"] = fields.choice("over", MANNERS, label="How")
    shape: str = fields.reference("shape", label="Shape")
    within: float = fields.number(1.5, unit="m", low=1e-3, high=1e4, soft=(0.1, 5), label="Within")
    height: Amount = fields.amount(0.4, unit="m", low=0, high=1e4, soft=(0, 3), label="Height")
    time: float = fields.number(0.2, unit="s", low=1e-3, high=1e3, soft=(0.05, 2), label="Halving every", per_frame="halving")

    def adds(self, moment: Moment, rows: Rows) -> Iterator[Contribution]:
        places, velocity = moment.midway(rows), moment.read("velocity", rows)
        found = nearest_of_surface(moment.scene.pose(self.shape), places)
        distance = np.linalg.norm(found[:, :3] - places, axis=1)
        # Away from the surface on the side where it is; on the surface itself along the normal.
        away = np.where((distance > 1e-6)[:, None], -found[:, 3:6], found[:, 6:])
        rising = np.einsum("ij,ij->i", velocity, away)
        near = distance < self.within
        # As fast as asked, and never so fast that a step overshoots.
        rate = min(float(np.log(2.0)) / self.time, 0.7 / moment.dt if moment.dt > 0 else np.inf)
        match self.manner:
            case "along":
                wanted = np.where(rising < 0, -rising * rate, 0)
            case "away":
                back = np.maximum(1 - distance / self.within, 0) * self.within
                wanted = back * rate * rate + np.where(rising < 0, -rising * rate, 0)
            case _:
                height = np.asarray(self.height.give(moment, rows), np.float32)
                # Critically damped: it comes to its height without swinging.
                wanted = (height - distance) * rate * rate - 2 * rising * rate
        strength = np.where(near, wanted, 0).astype(np.float32) * self.share(moment, rows)
        yield Contribution("push", np.ascontiguousarray(away, np.float32), strength)
