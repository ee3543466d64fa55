"""Who slides in a step: led along the surface before the others are moved, met by whatever else is solid, and brought back to the surface."""

from __future__ import annotations

from typing import Any

import numpy as np

from hailridge.core.kernels.contact import ROLLS
from hailridge.core.scene.moment import Moment
from hailridge.core.scene.sliding import settle, walk
from hailridge.core.scene.sticking import by_shape, held_rows
from hailridge.core.step.obstacles import Obstacles, Way
from hailridge.core.step.solid import Solid


def along(moment: Moment, obstacles: Obstacles, solid: Solid, displacement: Any, gained: Any) -> None:
    """Give those who slide the way and the velocity that the surface leaves them; they do not meet it as others do. Whom no rule holds to it any more
    is free."""
    rows = held_rows(moment, "sliding")
    if not len(rows):
        return
    sliding = moment.column("sliding")
    kept = np.zeros(moment.count, np.bool_)
    for shape, mine in by_shape(moment, "sliding", rows):
        slot = obstacles.slots.get(shape)
        if slot is None or solid.slides is None:
            continue
        mine = mine[solid.slides[slot, mine] & (solid.permitted[slot, mine] != 0)]
        if not len(mine):
            continue
        kept[mine] = True
        rolls = solid.permitted[slot, mine] == ROLLS
        places, velocities = walk(moment, moment.body(shape), mine, gained[mine], solid.friction_of(slot, mine), rolls)
        displacement[mine] = places - moment.column("position")[mine]
        moment.column("velocity")[mine] = velocities
        # The way is gone as it is; what pushes them has had its part.
        gained[mine] = 0
        solid.permitted[slot, mine] = 0
    sliding[rows[~kept[rows]]] = 0


def hold(moment: Moment, obstacles: Obstacles, solid: Solid, way: Way) -> None:
    """Who has come to touch what it is to slide along is held to it, and goes over to it from what it slid along; all are brought back to their
    surface."""
    if solid.slides is None:
        return
    sliding = moment.column("sliding")
    count = len(way.touched)
    free = np.ones(count, np.bool_)
    if moment.particles.has("stuck"):
        free &= moment.column("stuck")[:count] <= 0
    for slot, bit in enumerate(obstacles.bits):
        shape = int(obstacles.shapes[slot])
        landed = free & solid.slides[slot] & ((way.touched & bit) != 0) & (sliding[:count] != -(shape + 1))
        sliding[:count][landed] = shape + 1
    stay(moment)


def stay(moment: Moment) -> None:
    """Bring those who slide back to their surfaces."""
    for shape, rows in by_shape(moment, "sliding", held_rows(moment, "sliding")):
        settle(moment, moment.body(shape), rows)
