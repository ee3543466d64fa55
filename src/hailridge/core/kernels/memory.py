"""What rules and actions remember of each particle, read and renewed in one pass."""

from __future__ import annotations

from typing import Any

import numpy as np

from hailridge.core.kernels.array_types import Bools, Float32, Float32s, Int16s, Int32s, Int64, Int64s, UInt8s
from hailridge.core.kernels.compiling import whole


@whole
def edges(held: UInt8s, rows: Int64s, start: Int64, now: Bools) -> Any:
    """For whom something begins and ends: two ascending arrays of rows.

    held (n,) uint8: for whom it held before, renewed; rows (k,) int64, or none, meaning the k from `start` on; now (k,) bool.
    """
    begun, ended = np.empty(len(now) + 1, np.int64), np.empty(len(now) + 1, np.int64)
    beginnings, ends = 0, 0
    named = len(rows) > 0
    for j in range(len(now)):
        i = rows[j] if named else start + j
        before, after = held[i] != 0, now[j]
        held[i] = after
        # Written down in any case, and counted if it is so: no branch that nobody can foresee.
        begun[beginnings] = i
        beginnings += after and not before
        ended[ends] = i
        ends += before and not after
    return begun[:beginnings].copy(), ended[:ends].copy()


@whole
def chosen(count: Int64, groups: Int16s, members: Bools, off: UInt8s, doomed: Bools) -> Any:
    """The rows of those whose group (n,) is a member, whom nothing switched off (n,) and who are not doomed (n,).

    What is (0,) is not asked.
    """
    rows = np.empty(count + 1, np.int64)
    found = 0
    some, switched, ending = len(members) > 0, len(off) > 0, len(doomed) > 0
    for i in range(count):
        rows[found] = i
        yes = True
        if some:
            yes = members[groups[i]]
        if switched:
            yes = yes and off[i] == 0
        if ending:
            yes = yes and not doomed[i]
        found += yes
    return rows[:found].copy()


@whole
def mark(column: UInt8s, mask: UInt8s, rows: Int64s, start: Int64, count: Int64, afresh: Int64) -> None:
    """Set the bits of a mask (1,) in these rows of a column (n,), `count` of them; `afresh` takes them out of all others first."""
    bits = mask[0]
    if afresh:
        rest = np.uint8(~bits)
        for i in range(len(column)):
            column[i] &= rest
    for j in range(count):
        i = rows[j] if len(rows) else start + j
        column[i] |= bits


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


@whole
def populations(groups: Int16s, number: Int64) -> Any:
    """How many are in each of a number of groups: (number,) int32."""
    out = np.zeros(number, np.int32)
    for group in groups:
        out[group] += 1
    return out


@whole
def bit_counts(column: UInt8s) -> Any:
    """In how many of these bytes each bit is set: (8,) int64."""
    found = np.zeros(256, np.int64)
    for value in column:
        found[value] += 1
    out = np.zeros(8, np.int64)
    for value in range(256):
        for bit in range(8):
            if value >> bit & 1:
                out[bit] += found[value]
    return out


@whole
def handed_down(ids: Int32s, parents: Int32s, marked: Bools) -> None:
    """Mark whoever has a marked parent, and so on: ids (n,) ascend, parents (n,) are ids, −1 for none; marked (n,) is changed."""
    for i in range(len(ids)):
        if marked[i] or parents[i] < 0:
            continue
        low, high = 0, i
        while low < high:
            middle = (low + high) // 2
            if ids[middle] < parents[i]:
                low = middle + 1
            else:
                high = middle
        if low < i and ids[low] == parents[i]:
            marked[i] = marked[low]
