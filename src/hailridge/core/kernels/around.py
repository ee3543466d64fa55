"""Who is around each particle, and what they are like on average: all of it in one pass over the candidates of a cell, without keeping pairs."""

from __future__ import annotations

import numpy as np

from hailridge.core.kernels.array_types import Float32, Float32Rows, Float32s, Int32s, Int64, Int64Rows, Int64s
from hailridge.core.kernels.compiling import helper, kernel
from hailridge.core.kernels.neighbours import CELLS_TOGETHER
from hailridge.core.kernels.parting import own_way

ANY, OTHERS, SIBLINGS = 0, 1, 2
"""Which kin count: everybody, those of another parent, those of the same parent."""

ROW, NOTHING = np.int64(0xFFFFFFFF), np.int64(0x7FFFFFFFFFFFFFFF)

FEW, SIXTEEN = 64, 16

WIDER = np.float32(2.5)

GUESS = np.float32(1.5)
"""How much further, as squares, the last one wanted may be than that of the seeker before, to be found at the first try."""

TRIES = 4
"""How often it is looked within a guess, wider each time, before it is looked as far as the reach: a guess from those who lie in one place is 0."""


@helper
def kin_counts(kin, first, second):  # type: ignore[no-untyped-def]
    """Whether particles with these parents (−1 for none) are of the kin that is asked for."""
    same = first >= 0 and first == second
    return kin == 0 or (kin == 1 and not same) or (kin == 2 and same)


@kernel(serial_below=2_000, together=CELLS_TOGETHER)
def around(
    begin: Int64, end: Int64, starts: Int64Rows, lengths: Int64Rows, cells: Int64s, thin: Int64s, seekers: Int64s, seeking: Float32Rows,
    reach: Float32s, own: Int64s, headings: Float32Rows, view: Float32, kin: Int64, parents: Int32s, targets: Float32Rows, extra: Float32s,
    rows: Int64s, others: Int32s, values: Float32Rows, bounds: Float32s, bound_rows: Int64s, counts: Int32s, places: Float32Rows, sums: Float32Rows,
    furthest: Float32s, furthest_rows: Int64s, aways: Float32Rows,
) -> None:  # fmt: skip
    """What each seeker finds within its reach.

    starts, lengths (c, 9), cells (c + 1,), seekers (s,), seeking (n, 3), reach (n,) or (1,), targets (t, 3), extra (t,) or (1,) as in
    `kernels.neighbours.count`. thin (c,): of the targets around a cell only every so-manieth is looked at, and counts for as many.
    own (n,): the row that a seeker is itself, −1 for none; rows (t,): those of the targets. headings (n, 3) unit vectors, zero for who sees all
    round, or none at all; view: the cosine of half the angle of view. kin (see above) with parents (n,) and others (t,).
    values (t, w): what to average, in order of cells. bounds (n,) squares of distances and bound_rows (n,): only who comes before these in order of
    distance and row counts; or (0,). Filled where they have rows: counts (n,), places (n, 3) the mean of the ways to those found
    (m), sums (n, w) means, furthest (n,) squares of distances and furthest_rows (n,), −1 where there is nobody, aways (n, 3) the sum of directions
    away from those found, each by how near it is: 1 at the place itself (each pair has a direction of its own there), 0 at the reach.
    """
    width = values.shape[1]
    total = np.zeros(width, np.float64)
    for here in range(begin, end, CELLS_TOGETHER):
        there = min(here + CELLS_TOGETHER, end)
        most = 0
        for cell in range(here, there):
            among = 0
            for run in range(9):
                among += lengths[cell, run]
            most = max(most, among)
        xs, ys, zs = np.empty(most, np.float32), np.empty(most, np.float32), np.empty(most, np.float32)
        which, hit, squares = np.empty(most, np.int64), np.empty(most, np.int64), np.empty(most, np.float32)
        for cell in range(here, there):
            at, wait = 0, np.int64(1)
            for run in range(9):
                for k in range(starts[cell, run], starts[cell, run] + lengths[cell, run]):
                    wait -= 1
                    if wait == 0:
                        xs[at], ys[at], zs[at], which[at] = targets[k, 0], targets[k, 1], targets[k, 2], k
                        at += 1
                        wait = thin[cell]
            for s in range(cells[cell], cells[cell + 1]):
                i = seekers[s]
                x, y, z = seeking[i, 0], seeking[i, 1], seeking[i, 2]
                far = reach[i] if len(reach) > 1 else reach[0]
                found = np.int64(0)
                if len(extra) > 1:
                    for k in range(at):
                        dx, dy, dz, both = xs[k] - x, ys[k] - y, zs[k] - z, far + extra[which[k]]
                        square = dx * dx + dy * dy + dz * dz
                        hit[found], squares[found] = k, square
                        found += np.int64((square <= both * both) & (far >= 0))
                else:
                    within = far * far
                    for k in range(at):
                        dx, dy, dz = xs[k] - x, ys[k] - y, zs[k] - z
                        square = dx * dx + dy * dy + dz * dz
                        hit[found], squares[found] = k, square
                        found += np.int64((square <= within) & (far >= 0))
                seen = 0
                wayx, wayy, wayz = 0.0, 0.0, 0.0
                awayx, awayy, awayz = 0.0, 0.0, 0.0
                total[:] = 0.0
                last, last_row = np.float32(-1), np.int64(-1)
                for h in range(found):
                    k = hit[h]
                    t = which[k]
                    if rows[t] == own[i]:
                        continue
                    if len(bounds) > 0 and (squares[h] > bounds[i] or (squares[h] == bounds[i] and rows[t] >= bound_rows[i])):
                        continue
                    if kin != 0 and not kin_counts(kin, parents[i], others[t]):
                        continue
                    dx, dy, dz = xs[k] - x, ys[k] - y, zs[k] - z
                    if len(headings) > 0:
                        hx, hy, hz = headings[i, 0], headings[i, 1], headings[i, 2]
                        if (hx != 0 or hy != 0 or hz != 0) and dx * hx + dy * hy + dz * hz < view * np.sqrt(squares[h]):
                            continue
                    seen += 1
                    wayx += dx
                    wayy += dy
                    wayz += dz
                    if len(aways) > 0 and squares[h] == 0:
                        ownx, owny, ownz = own_way(own[i], rows[t])
                        awayx += ownx
                        awayy += owny
                        awayz += ownz
                    elif len(aways) > 0:
                        distance = np.sqrt(squares[h])
                        limit = far + extra[t] if len(extra) > 1 else far
                        share = (1 - distance / limit) / distance
                        awayx -= dx * share
                        awayy -= dy * share
                        awayz -= dz * share
                    for w in range(width):
                        total[w] += values[t, w]
                    if squares[h] > last or (squares[h] == last and rows[t] < last_row):
                        last, last_row = squares[h], rows[t]
                if len(counts) > 0:
                    counts[i] = seen * thin[cell]
                if len(places) > 0 and seen > 0:
                    places[i, 0], places[i, 1], places[i, 2] = wayx / seen, wayy / seen, wayz / seen
                if len(aways) > 0:
                    aways[i, 0], aways[i, 1], aways[i, 2] = awayx * thin[cell], awayy * thin[cell], awayz * thin[cell]
                if seen > 0:
                    for w in range(width):
                        sums[i, w] = total[w] / seen
                if len(furthest) > 0:
                    furthest[i], furthest_rows[i] = last, last_row


@kernel(serial_below=2_000, together=CELLS_TOGETHER)
def nearest_in_view(
    begin: Int64, end: Int64, starts: Int64Rows, lengths: Int64Rows, cells: Int64s, thin: Int64s, seekers: Int64s, seeking: Float32Rows,
    reach: Float32s, own: Int64s, headings: Float32Rows, view: Float32, kin: Int64, parents: Int32s, targets: Float32Rows, extra: Float32s,
    rows: Int64s, others: Int32s, out: Int64Rows, squares: Float32Rows,
) -> None:  # fmt: skip
    """The nearest targets of each seeker, nearest first; of two equally far the one with the lower row.

    As `around`, but that what is told of seekers is in order of cells, as `seekers` is: the rows of what is filled. out (n, k) int64 takes the rows
    found, −1 where there are no more, squares (n, k) the squares of their distances.

    Most candidates are far beyond the last one wanted. So those within a guess are taken first, and only where too few of them count are all looked
    at: what is found is the same. A distance and a row are one whole number, as wide as both, that ascends as they do.
    """
    most = out.shape[1]
    best, told = np.empty(max(most, FEW), np.int64), np.empty(1, np.int32)
    square = told.view(np.float32)
    for here in range(begin, end, CELLS_TOGETHER):
        there = min(here + CELLS_TOGETHER, end)
        room = 0
        for cell in range(here, there):
            among = 0
            for run in range(9):
                among += lengths[cell, run]
            room = max(room, among)
        xs, ys, zs = np.empty(room, np.float32), np.empty(room, np.float32), np.empty(room, np.float32)
        which, hit, apart = np.empty(room, np.int64), np.empty(room, np.int64), np.empty(room, np.float32)
        packed = np.empty(room + SIXTEEN, np.int64)
        bits = apart.view(np.int32)
        guess = np.float32(np.inf)
        for cell in range(here, there):
            at, wait = 0, np.int64(1)
            for run in range(9):
                for k in range(starts[cell, run], starts[cell, run] + lengths[cell, run]):
                    wait -= 1
                    if wait == 0:
                        xs[at], ys[at], zs[at], which[at] = targets[k, 0], targets[k, 1], targets[k, 2], k
                        at += 1
                        wait = thin[cell]
            for i in range(cells[cell], cells[cell + 1]):
                x, y, z = seeking[i, 0], seeking[i, 1], seeking[i, 2]
                far = reach[i] if len(reach) > 1 else reach[0]
                within = far * far if far >= 0 else np.float32(-1)
                if len(extra) > 1:
                    within = np.float32(np.inf)
                looks = len(headings) > 0 and (headings[i, 0] != 0 or headings[i, 1] != 0 or headings[i, 2] != 0)
                for k in range(at):
                    dx, dy, dz = xs[k] - x, ys[k] - y, zs[k] - z
                    apart[k] = dx * dx + dy * dy + dz * dz
                limit, tries = min(within, guess), 0
                while True:
                    near = np.int64(0)
                    for k in range(at):
                        hit[near] = k
                        near += np.int64(apart[k] <= limit)
                    counted = np.int64(0)
                    for h in range(near):
                        k = hit[h]
                        t = which[k]
                        row = rows[t]
                        counts = row != own[i]
                        if len(extra) > 1:
                            both = far + extra[t]
                            counts &= far >= 0 and apart[k] <= both * both
                        if kin != 0:
                            counts &= kin_counts(kin, parents[i], others[t])
                        if looks:
                            ahead = (xs[k] - x) * headings[i, 0] + (ys[k] - y) * headings[i, 1] + (zs[k] - z) * headings[i, 2]
                            counts &= ahead >= view * np.sqrt(apart[k])
                        # No branch: nobody can foresee who counts.
                        packed[counted] = (np.int64(bits[k]) << 32) | row
                        counted += np.int64(counts)
                    if counted >= most or limit >= within:
                        break
                    tries += 1
                    limit = min(within, limit * WIDER) if tries < TRIES else within
                found = min(counted, most)
                if counted <= FEW:
                    # Each by how many come before it: more comparisons than a sort, and none that anything waits for.
                    filled = counted
                    while filled % SIXTEEN != 0:
                        packed[filled] = NOTHING
                        filled += 1
                    for k in range(counted):
                        this, place = packed[k], np.int64(0)
                        for other in range(filled):
                            place += np.int64(packed[other] < this)
                        best[place] = this
                else:
                    kept, bound = 0, NOTHING
                    for k in range(counted):
                        if packed[k] >= bound:
                            continue
                        slot = min(kept, most - 1)
                        while slot > 0 and packed[k] < best[slot - 1]:
                            best[slot] = best[slot - 1]
                            slot -= 1
                        best[slot] = packed[k]
                        kept = min(kept + 1, most)
                        if kept == most:
                            bound = best[most - 1]
                line = seekers[i]
                for k in range(found):
                    told[0] = np.int32(best[k] >> 32)
                    out[line, k], squares[line, k] = best[k] & ROW, square[0]
                for k in range(found, most):
                    out[line, k], squares[line, k] = -1, np.inf
                if found == most:
                    guess = squares[line, most - 1] * GUESS


@kernel(serial_below=2_000)
def looked_at(
    begin: Int64, end: Int64, starts: Int64Rows, lengths: Int64Rows, cells: Int64s, thin: Int64s, looked: Int64s, standing: Float32Rows,
    wider: Float32s, names: Int64s, parents: Int32s, seeking: Float32Rows, reach: Float32s, rows: Int64s, others: Int32s, headings: Float32Rows,
    view: Float32, kin: Int64, lookers: Int32s, claimants: Int64s, squares: Float32s,
) -> None:  # fmt: skip
    """The question from the other side: which of the seekers find each target.

    `looked` are the targets in order of cells, rows of `standing` (n, 3) with `wider` (n,) or (1,) added to every reach, `names` (n,) the rows that
    they are, `parents` (n,). seeking (t, 3), reach (t,), rows (t,), others (t,), headings (t, 3) or none are the seekers in order of cells. Filled:
    lookers (n,) how many find it, claimants (n,) the row of the nearest of them, the lower of two equally near, −1 for none, squares (n,) of
    its distance.
    """
    for cell in range(begin, end):
        for s in range(cells[cell], cells[cell + 1]):
            i = looked[s]
            x, y, z = standing[i, 0], standing[i, 1], standing[i, 2]
            more = wider[i] if len(wider) > 1 else wider[0]
            number, best, best_row = 0, np.float32(np.inf), np.int64(-1)
            wait = np.int64(1)
            for run in range(9):
                for k in range(starts[cell, run], starts[cell, run] + lengths[cell, run]):
                    wait -= 1
                    if wait > 0:
                        continue
                    wait = thin[cell]
                    dx, dy, dz = x - seeking[k, 0], y - seeking[k, 1], z - seeking[k, 2]
                    d = dx * dx + dy * dy + dz * dz
                    far = reach[k] + more
                    if not d <= far * far or reach[k] < 0 or rows[k] == names[i]:
                        continue
                    if kin != 0 and not kin_counts(kin, parents[i], others[k]):
                        continue
                    if len(headings) > 0:
                        hx, hy, hz = headings[k, 0], headings[k, 1], headings[k, 2]
                        if (hx != 0 or hy != 0 or hz != 0) and dx * hx + dy * hy + dz * hz < view * np.sqrt(d):
                            continue
                    number += 1
                    if d < best or (d == best and rows[k] < best_row):
                        best, best_row = d, rows[k]
            lookers[i], claimants[i], squares[i] = number * thin[cell], best_row, best


@kernel(serial_below=4_000)
def of_list(
    begin: Int64, end: Int64, rows: Int64Rows, distances: Float32Rows, seeking: Float32Rows, reach: Float32s, own: Int64s, targets: Float32Rows,
    extra: Float32s, names: Int64s, values: Float32Rows, counts: Int32s, places: Float32Rows, sums: Float32Rows, aways: Float32Rows,
) -> None:  # fmt: skip
    """What `around` tells, of those in a list: rows (n, k) of the targets (t,), −1 where there are no more, with distances (n, k) m.

    seeking (n, 3), reach (n,) or (1,), targets (t, 3), extra (t,) or (1,), own (n,) and names (t,) the rows that they are, values (t, w).
    Filled where they have rows: counts (n,), places (n, 3), sums (n, w) and aways (n, 3) as there.
    """
    width = values.shape[1]
    total = np.zeros(width, np.float64)
    for i in range(begin, end):
        seen = 0
        total[:] = 0.0
        wayx, wayy, wayz = 0.0, 0.0, 0.0
        awayx, awayy, awayz = 0.0, 0.0, 0.0
        far = reach[i] if len(reach) > 1 else reach[0]
        for place in range(rows.shape[1]):
            t = rows[i, place]
            if t < 0:
                break
            seen += 1
            dx, dy, dz = targets[t, 0] - seeking[i, 0], targets[t, 1] - seeking[i, 1], targets[t, 2] - seeking[i, 2]
            wayx += dx
            wayy += dy
            wayz += dz
            distance = distances[i, place]
            if distance == 0:
                ownx, owny, ownz = own_way(own[i], names[t])
                awayx += ownx
                awayy += owny
                awayz += ownz
            else:
                limit = far + extra[t] if len(extra) > 1 else far
                share = (1 - distance / limit) / distance
                awayx -= dx * share
                awayy -= dy * share
                awayz -= dz * share
            for w in range(width):
                total[w] += values[t, w]
        counts[i] = seen
        if seen > 0:
            if len(places) > 0:
                places[i, 0], places[i, 1], places[i, 2] = wayx / seen, wayy / seen, wayz / seen
            for w in range(width):
                sums[i, w] = total[w] / seen
        if len(aways) > 0:
            aways[i, 0], aways[i, 1], aways[i, 2] = awayx, awayy, awayz


@kernel(serial_below=4_000)
def kept_apart(
    begin: Int64, end: Int64, rows: Int64Rows, distances: Float32Rows, own: Int64s, here: Float32Rows, everywhere: Float32Rows, within: Float32,
    out: Float32Rows,
) -> None:  # fmt: skip
    """The sum of directions away from those in a list, each by how near it is: 1 in the same place, 0 at `within` (m).

    rows (k, m) of `everywhere` (n, 3), −1 where there are no more, nearest first, with distances (k, m) m; own (k,) the rows of those who look,
    here (k, 3), out (k, 3).
    """
    for i in range(begin, end):
        x, y, z = np.float32(0), np.float32(0), np.float32(0)
        for place in range(rows.shape[1]):
            other, apart = rows[i, place], distances[i, place]
            if other < 0 or apart >= within:
                break
            if apart == 0:
                ownx, owny, ownz = own_way(own[i], other)
                x += ownx
                y += owny
                z += ownz
            else:
                share = (1 - apart / within) / apart
                x += (here[i, 0] - everywhere[other, 0]) * share
                y += (here[i, 1] - everywhere[other, 1]) * share
                z += (here[i, 2] - everywhere[other, 2]) * share
        out[i, 0], out[i, 1], out[i, 2] = x, y, z
