"""Moving particles through one step: kicks first, then exact flow under steady push and linear drag."""

from __future__ import annotations

from typing import Any

import numpy as np

from hailridge.core.kernels.compiling import Kernel, parallel_range


def _move(velocity: Any, varying: Any, steady: Any, drag: Any, air: Any, spans: Any, displacement: Any, gained: Any) -> None:
    """Advance velocities and give displacements.

    Pushes that vary in space (`varying`, m/s²) act as a kick at the start of the step (semi-implicit Euler). `steady` pushes (m/s²) and
    drag (`drag` 1/s toward the air's velocity, `air` = drag × velocity) are constant within the step and solved exactly, so falls, terminal
    speeds and decay do not depend on the number of steps. `gained` is the change of velocity, for contact to undo a part of.

    velocity, varying, steady, air, displacement, gained (n, 3) float32; drag (n,);
    spans (n,) or (1,) seconds. Piles of pushes that nobody used are empty.
    """
    one_span = spans.shape[0] == 1
    dragging = drag.shape[0] > 0
    kicked = varying.shape[0] > 0
    pushed = steady.shape[0] > 0
    for i in parallel_range(velocity.shape[0]):
        span = np.float64(spans[0] if one_span else spans[i])
        rate = np.float64(drag[i]) if dragging else 0.0
        for axis in range(3):
            before = np.float64(velocity[i, axis])
            start = before + (np.float64(varying[i, axis]) * span if kicked else 0.0)
            push = np.float64(steady[i, axis]) if pushed else 0.0
            if rate > 1e-9:
                terminal = (push + np.float64(air[i, axis])) / rate
                kept = np.exp(-rate * span)
                after = terminal + (start - terminal) * kept
                way = terminal * span + (start - terminal) * (1.0 - kept) / rate
            else:
                after = start + push * span
                way = start * span + 0.5 * push * span * span
            velocity[i, axis] = np.float32(after)
            displacement[i, axis] = np.float32(way)
            gained[i, axis] = np.float32(after - before)


def _strays(position: Any, velocity: Any, limit: Any, out: Any) -> None:
    """Mark particles that are not finite or further than `limit` metres from the origin: out (n,) uint8."""
    for i in parallel_range(position.shape[0]):
        total = abs(position[i, 0]) + abs(position[i, 1]) + abs(position[i, 2])
        moving = abs(velocity[i, 0]) + abs(velocity[i, 1]) + abs(velocity[i, 2])
        # Comparisons with NaN are false, so the good case is the one spelled out.
        out[i] = 0 if total < limit and moving < np.float32(1e7) else 1


move = Kernel(_move)
strays = Kernel(_strays)
