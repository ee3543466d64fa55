"""Values of a keyed curve at many places at once."""

from __future__ import annotations

import numpy as np

from hailridge.core.kernels.array_types import Float64Rows, Float64s, Int64, UInt8s
from hailridge.core.kernels.compiling import helper, kernel

LINEAR, HOLD, BEZIER = 0, 1, 2


@helper
def eased(share, x1, y1, x2, y2):  # type: ignore[no-untyped-def]
    """Cubic-bezier easing from (0, 0) to (1, 1) with handles (x1, y1), (x2, y2): y where x is `share` (CSS Easing Functions 1)."""
    low, high, t = 0.0, 1.0, share
    # x rises with t as long as the handles' x are within 0–1: halving finds the place for certain, Newton's steps make it quick.
    for _step in range(60):
        x = ((1.0 + 3.0 * x1 - 3.0 * x2) * t + 3.0 * x2 - 6.0 * x1) * t * t + 3.0 * x1 * t
        away = x - share
        if abs(away) < 1e-12:
            break
        if away > 0.0:
            high = t
        else:
            low = t
        slope = (3.0 + 9.0 * x1 - 9.0 * x2) * t * t + (6.0 * x2 - 12.0 * x1) * t + 3.0 * x1
        following = t - away / slope if slope > 1e-9 else 0.5 * (low + high)
        t = following if low < following < high else 0.5 * (low + high)
    return ((1.0 + 3.0 * y1 - 3.0 * y2) * t + 3.0 * y2 - 6.0 * y1) * t * t + 3.0 * y1 * t


@kernel()
def curve(
    begin: Int64, end: Int64, places: Float64s, at: Float64s, values: Float64Rows, modes: UInt8s, handles: Float64Rows, out: Float64Rows
) -> None:
    """places (n,) float64; at (k,) ascending; values (k, w) float64; modes (k,) uint8; handles (k, 4); out (n, w) float64."""
    last = at.shape[0] - 1
    for i in range(begin, end):
        x = places[i]
        k = 0
        if x > at[0]:
            k = min(np.searchsorted(at, x, side="right") - 1, last)
        share = 0.0
        if x > at[0] and k < last and modes[k] != HOLD:
            share = (x - at[k]) / (at[k + 1] - at[k])
            if modes[k] == BEZIER:
                share = eased(share, handles[k, 0], handles[k, 1], handles[k, 2], handles[k, 3])
        following = min(k + 1, last)
        for w in range(values.shape[1]):
            out[i, w] = values[k, w] + (values[following, w] - values[k, w]) * share

