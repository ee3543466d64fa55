"""What rules have made solid in a step: whom each shape concerns, and what they do where they meet it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from hailridge.core.kernels.contact import PASSES
from hailridge.core.scene.buffers import Encounter
from hailridge.core.scene.moment import Moment
from hailridge.core.state.particles import Array


@dataclass
class Solid:
    """For each of k obstacles and n particles.

    permitted (k, n) uint8: what a particle does where it meets it (`kernels.contact`), 0 where it does not; bounciness, friction, least (m/s, below
    which a touch is not told): (k, n) or (k, 1) float32; sticky (k, n): how deep who touches it sinks in and sticks (m), NaN for who does not; slides
    (k, n): who is held to it and slides along it; None where nobody does.
    """

    permitted: NDArray[np.uint8]
    bounciness: Array
    friction: Array
    least: Array
    sticky: Array | None = None
    slides: NDArray[np.bool_] | None = None

    @property
    def passing(self) -> bool:
        """Whether somebody goes through something and is only told of it."""
        return bool((self.permitted == PASSES).any())

    def friction_of(self, slot: int, rows: NDArray[np.intp]) -> Array:
        """The friction of some particles on one obstacle: (k,)."""
        own = self.friction[slot]
        return np.asarray(own[rows] if len(own) > 1 else np.broadcast_to(own, len(rows)), np.float64)


def gathered(moment: Moment, slots: dict[int, int]) -> Solid:
    """Put together what the rules of this step have said, one after the other; `slots` are the places of obstacles by the index of their shape."""
    count, kinds = moment.count, len(slots)
    encounters: list[Encounter] = moment.buffers.encounters
    varied = any(np.ndim(e.bounciness) or np.ndim(e.friction) or isinstance(e.rows, np.ndarray) for e in encounters)
    width = count if varied else 1
    quiet = any(np.any(np.asarray(e.least) > 0) or np.any(np.asarray(e.pause) > 0) for e in encounters)
    solid = Solid(
        np.zeros((kinds, count), np.uint8), np.zeros((kinds, width), np.float32), np.zeros((kinds, width), np.float32),
        np.zeros((kinds, count if quiet else 1), np.float32),
    )  # fmt: skip
    if any(e.sunk is not None for e in encounters):
        solid.sticky = np.full((kinds, count), np.nan, np.float32)
    if any(e.slides for e in encounters):
        solid.slides = np.zeros((kinds, count), np.bool_)
    for encounter in encounters:
        slot, rows = slots[encounter.shape], encounter.rows
        solid.permitted[slot, rows] = encounter.response
        if solid.sticky is not None:
            solid.sticky[slot, rows] = np.nan if encounter.sunk is None else encounter.sunk
        if solid.slides is not None:
            solid.slides[slot, rows] = encounter.slides
        if quiet:
            ago = moment.time - moment.column("contact_time")[rows]
            solid.least[slot, rows] = np.where(ago < np.asarray(encounter.pause), np.inf, np.asarray(encounter.least, np.float32))
        where = rows if varied else slice(None)
        solid.bounciness[slot, where] = encounter.bounciness
        solid.friction[slot, where] = encounter.friction
    solid.bounciness = np.clip(solid.bounciness, 0, 1)
    return solid
