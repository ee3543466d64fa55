"""Looking at a recorded frame: what is drawn, whom a condition holds for, how a quantity is distributed, what one particle is."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from hailridge.core.kinds.looks.drawn import Layer
from hailridge.core.kinds.looks.layers import group_colors
from hailridge.core.looking.why import reasons
from hailridge.core.scene.layout import turn_column, turn_mask
from hailridge.core.scene.moment import Moment
from hailridge.core.scene.plan import Plan
from hailridge.core.scene.ready import ReadyRule
from hailridge.core.state.events import Happening
from hailridge.core.state.particles import Array, Particles, Rows, as_indices, number_of
from hailridge.model.parts import Amount, Condition, Quantity

MOST_BINS = 48


def recorded_moment(plan: Plan, columns: Mapping[str, Array], count: int, frame: int) -> Moment:
    """The moment of a recorded frame, for quantities, conditions and looks to read."""
    particles = Particles(plan.columns, max(1, count))
    particles.load({name: column for name, column in columns.items() if particles.has(name)}, count)
    clock, time = plan.effect.clock, plan.timeline.time_of(frame)
    moment = Moment(plan.at(time), particles, frame, time)
    moment.dt = 1.0 / (clock.frames_per_second * clock.steps_per_frame)
    moment.step = frame * clock.steps_per_frame
    return moment


def layers(moment: Moment) -> list[Layer]:
    """What the stage draws, look by look. Groups without a look are drawn as dots in their colour, so that nothing is ever unseen."""
    scene, out = moment.scene, []
    seen = np.zeros(max(1, len(scene.group_index)), np.bool_)
    for index, look in enumerate(scene.effect.looks):
        entry: Any = look
        if not scene.effect.works("looks", index):
            continue
        members = scene.members(entry.who)
        seen |= members
        begun = moment.costs.begin()
        out.append(entry.draw(moment, rows_of(moment, members)))
        moment.drawn_in[entry.address] = moment.costs.end(entry.address, begun)
    if not seen.all():
        rows = rows_of(moment, ~seen)
        if number_of(rows):
            out.append(_unseen(moment, rows))
    return out


def _unseen(moment: Moment, rows: Rows) -> Layer:
    """Particles that no look draws, as dots in their group's colour."""
    groups, count = moment.column("group")[rows], number_of(rows)
    color = np.full((count, 4), 255, np.uint8)
    color[:, :3] = np.clip(group_colors(moment.scene)[groups] * 255 + 0.5, 0, 255)
    return Layer(
        "", "dot", moment.read("position", rows), np.full(count, 1.5, np.float32), color, moment.column("id")[rows], groups.astype(np.uint8),
        {"mixing": "over", "tiny": True},
    )  # fmt: skip


def rows_of(moment: Moment, members: NDArray[np.bool_]) -> Rows:
    if members.all():
        return moment.everyone()
    return np.flatnonzero(members[moment.column("group")])


def holders(
    moment: Moment, condition: Condition | None, who: list[str], otherwise: bool = False, off: str = ""
) -> tuple[NDArray[np.int32], int]:
    """Ids of the particles of `who` for whom the condition holds now, and how many were looked at.

    With `otherwise` those for whom it does not hold; `off` names the column that says for whom a rule is switched off.
    """
    rows = rows_of(moment, moment.scene.members(who))
    if off and moment.particles.has(off):
        rows = as_indices(rows)
        rows = rows[moment.column(off)[rows] == 0]
    ids = moment.column("id")[rows]
    if condition is None:
        return (ids[:0] if otherwise else ids), len(ids)
    holds = np.asarray(condition.holds(moment, rows), np.bool_)
    return ids[~holds if otherwise else holds], len(ids)


@dataclass
class Holders:
    """For whom a rule held at its turn: ids of those still there (k,), and those who have left since, with their places (m, 3) m and radii (m,) m;
    `of` is how many it looked at."""

    ids: NDArray[np.int32]
    left: NDArray[np.int32]
    places: NDArray[np.float32]
    radii: NDArray[np.float32]
    of: int


def turn_of(moment: Moment, ready: ReadyRule, otherwise: bool = False) -> Holders:
    """For whom a rule held at its turn, as recorded with the frame: exactly those whom its count counts. With `otherwise`, for whom it did not."""
    bit = ready.other_bit if otherwise else ready.bit
    looked = moment.looked[ready.index] if ready.index < len(moment.looked) else 0
    nobody = Holders(np.zeros(0, np.int32), np.zeros(0, np.int32), np.zeros((0, 3), np.float32), np.zeros(0, np.float32), looked)
    if bit is None:
        return nobody
    ids = moment.column("id")[moment.marked_turn(bit)]
    gone = moment.departed
    if not gone:
        return replace(nobody, ids=ids)
    chosen = (gone[turn_column(bit)] & turn_mask(bit)) != 0
    return Holders(ids, gone["id"][chosen], gone["position"][chosen], gone["radius"][chosen], looked)


@dataclass
class Distribution:
    """A histogram: bin edges (b + 1,), counts (b,), how many were looked at, lowest and highest value."""

    edges: NDArray[np.float64]
    counts: NDArray[np.int64]
    total: int
    low: float
    high: float
    outside: int


def distribution(values: NDArray[Any], bins: int = MOST_BINS) -> Distribution:
    """Histogram over the middle 99.8 % of the finite values, so that one outlier does not flatten it; the rest is counted as outside."""
    finite = np.asarray(values, np.float64)
    finite = finite[np.isfinite(finite) & (np.abs(finite) < 1e20)]
    if len(finite) == 0:
        return Distribution(np.array([0.0, 1.0]), np.zeros(1, np.int64), 0, 0.0, 0.0, 0)
    low, high = np.quantile(finite, [0.001, 0.999]) if len(finite) > 200 else (finite.min(), finite.max())
    if high - low < 1e-9 * max(1.0, abs(high)):
        low, high = low - 0.5, high + 0.5
    counts, edges = np.histogram(finite, bins=bins, range=(low, high))
    return Distribution(edges, counts, len(finite), float(finite.min()), float(finite.max()), len(finite) - int(counts.sum()))


def quantity_values(moment: Moment, quantity: Quantity, who: list[str]) -> NDArray[np.float64]:
    """The quantity of every particle of `who`: (k,)."""
    rows = rows_of(moment, moment.scene.members(who))
    return np.asarray(quantity.read(moment, rows), np.float64)


def given_range(moment: Moment, amount: Amount, who: list[str]) -> tuple[float, float]:
    """The lowest and highest value that an amount takes over the particles of `who`; what it may take where there are none."""
    rows = rows_of(moment, moment.scene.members(who))
    if number_of(rows) == 0:
        return amount.extent()
    given = np.asarray(amount.give(moment, rows), np.float64)
    return float(given.min()), float(given.max())


def impacts(plan: Plan, events: NDArray[Any], who: list[str]) -> NDArray[np.float64]:
    """Impact speeds (m/s) of every contact of a run by particles that were in these groups at the time; `events` in order of happening."""
    members = plan.members(who)
    if not members.all():
        events = events[members[_group_at_event(events, len(plan.group_index))]]
    return np.asarray(events["value"][events["what"] == Happening.CONTACT], np.float64)


def _group_at_event(events: NDArray[Any], groups: int) -> NDArray[np.int64]:
    """The group in which each event found its particle: that of its latest birth or move before it."""
    order = np.lexsort((np.arange(len(events)), events["particle"]))
    ordered = events[order]
    defines = np.isin(ordered["what"], [Happening.BIRTH, Happening.MOVE])
    latest = np.maximum.accumulate(np.where(defines, np.arange(len(events)), 0))
    out = np.empty(len(events), np.int64)
    out[order] = np.clip(ordered["present"][latest], 0, max(0, groups - 1))
    return out


def values_of(moment: Moment, particle: int) -> dict[str, Any] | None:
    """Everything that can be read of one particle now, attributes first; None where it is not alive."""
    row = row_of(moment.column("id"), particle)
    if row is None:
        return None
    rows = np.array([row])
    scene = moment.scene
    out: dict[str, Any] = {}
    for info in scene.table.values():
        value = moment.read_attribute(info.id, rows)[0]
        out[info.id] = {"label": info.label, "unit": info.unit, "type": info.value_type, "value": np.asarray(value, float).round(6).tolist()}
    touching = int(moment.column("touching")[row])
    shapes: list[str] = [shape.label for index, shape in enumerate(scene.effect.shapes) if touching >> index & 1]  # type: ignore[attr-defined]
    group = scene.effect.groups[int(moment.column("group")[row])]
    return {
        "id": particle,
        "parent": int(moment.column("parent_id")[row]),
        "group": group.id,
        "entered": float(moment.column("entered")[row]),
        "touching": ", ".join(shapes) or None,
        "contacts": int(moment.column("contact_count")[row]),
        "impact_speed": float(moment.column("impact_speed")[row]),
        "values": out,
        "reasons": reasons(moment, row),
    }


def row_of(ids: NDArray[np.int32], particle: int) -> int | None:
    """The row of a particle among those alive, None where it is not; ids ascend, so it is found by halving."""
    at = int(np.searchsorted(ids, particle))
    return at if at < len(ids) and ids[at] == particle else None
