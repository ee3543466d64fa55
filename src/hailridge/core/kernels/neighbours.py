"""Counting neighbours, cell by cell: the candidates of a cell are gathered once into contiguous scratch, then all of its seekers test them."""

from __future__ import annotations

from typing import Any

import numpy as np

from hailridge.core.kernels.compiling import Kernel, compiled, parallel_range


@compiled
def starts_of(keys: Any, counts: Any, wanted: Any) -> Any:
    """First places (m,) of `wanted` in ascending `keys` (n,); `counts` (m,) is written with how many there are up to and with the key two on."""
    out = np.empty(len(wanted), np.int64)
    for i in range(len(wanted)):
        low = np.searchsorted(keys, wanted[i])
        out[i] = low
        counts[i] = np.searchsorted(keys, wanted[i] + 3) - low
    return out


def _count(
    starts: Any, lengths: Any, cells: Any, seekers: Any, seeking: Any, reach: Any, targets: Any, extra: Any, own: Any, out: Any,
) -> None:  # fmt: skip
    """How many targets lie within reach of each seeker.

    starts, lengths (c, 9): the runs of targets around each seeker's cell; cells (c + 1,): where its seekers begin in `seekers` (s,), rows of
    `seeking` (n, 3); reach (n,) or (1,); targets (t, 3) in order of cells with `extra` (t,) or (1,) added to the reach; own (n,): the target
    that a seeker is itself, −1 for none; out (n,).
    """
    for cell in parallel_range(starts.shape[0]):
        total = 0
        for run in range(9):
            total += lengths[cell, run]
        xs, ys, zs = np.empty(total, np.float32), np.empty(total, np.float32), np.empty(total, np.float32)
        more = np.empty(total if len(extra) > 1 else 1, np.float32)
        more[0] = extra[0]
        at = 0
        for run in range(9):
            first = starts[cell, run]
            for k in range(lengths[cell, run]):
                xs[at], ys[at], zs[at] = targets[first + k, 0], targets[first + k, 1], targets[first + k, 2]
                if len(extra) > 1:
                    more[at] = extra[first + k]
                at += 1
        for s in range(cells[cell], cells[cell + 1]):
            i = seekers[s]
            x, y, z = seeking[i, 0], seeking[i, 1], seeking[i, 2]
            far = reach[i] if len(reach) > 1 else reach[0]
            found = np.int32(0)
            if len(extra) > 1:
                for k in range(total):
                    dx, dy, dz, both = xs[k] - x, ys[k] - y, zs[k] - z, more[k] + far
                    found += np.int32(dx * dx + dy * dy + dz * dz <= both * both)
            else:
                square = far * far
                for k in range(total):
                    dx, dy, dz = xs[k] - x, ys[k] - y, zs[k] - z
                    found += np.int32(dx * dx + dy * dy + dz * dz <= square)
            if own[i] >= 0:
                found -= np.int32(1)
            out[i] = found


count = Kernel(_count, serial_below=2_000)
