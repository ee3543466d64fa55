"""What rules and actions remember of each particle, read and renewed in one pass."""

from __future__ import annotations

from typing import Any

import numpy as np

from hailridge.core.kernels.array_types import Bools, Float32, Float32s, Int64, Int64s, UInt8s
from hailridge.core.kernels.compiling import whole


@whole
def edges(held: UInt8s, rows: Int64s, start: Int64, now: Bools) -> Any:
    """For whom something begins and ends: two ascending arrays of rows.

    held (n,) uint8: for whom it held before, renewed; rows (k,) int64, or none, meaning the k from `start` on; now (k,) bool.
    """
    begun, ended = np.empty(len(now), np.int64), np.empty(len(now), np.int64)
    beginnings, ends = 0, 0
    for j in range(len(now)):
        i = rows[j] if len(rows) else start + j
        before = held[i] != 0
        if now[j] != before:
            held[i] = now[j]
            if now[j]:
                begun[beginnings] = i
                beginnings += 1
            else:
                ended[ends] = i
                ends += 1
    return begun[:beginnings].copy(), ended[:ends].copy()


@whole
def elapsed(
    began: Float32s, worked: Float32s, rows: Int64s, start: Int64, count: Int64, now: Float32, broken: Float32, span: Float32s
) -> Any:
    """Seconds from when work on each particle began without a break to the time that this step works on, and on whom it begins now: (k,) float32
    and (k,) bool.

    began, worked (n,) float32: when it began and was last at work, renewed; rows and start as in `edges`; before `broken`, work has been broken
    off; span (k,) or (1,) float32: the time that this step works on, which ends now.
    """
    one_span = len(span) == 1
    since, afresh = np.empty(count, np.float32), np.empty(count, np.bool_)
    for j in range(count):
        i = rows[j] if len(rows) else start + j
        afresh[j] = worked[i] < broken
        first = now - span[0 if one_span else j]
        if afresh[j]:
            began[i] = first
        worked[i] = now
        since[j] = first - began[i]
    return since, afresh
