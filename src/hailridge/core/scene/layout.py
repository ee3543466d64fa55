"""Which columns a run keeps of each particle: attributes of the effect's own, what rules and their parts remember, whom rules held for."""

from __future__ import annotations

from functools import cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from hailridge.core.scene.ready import ReadyRule
from hailridge.core.state.particles import FOREVER_AGO, OPTIONAL_COLUMNS, ColumnSpec
from hailridge.model.attributes import AttributeInfo, Table, remembered
from hailridge.model.effect import Effect
from hailridge.model.kind import Part, declared, parts_of

SUBSTEPS = "substeps"
"""The column that keeps where a particle was at the steps within a frame, for trails."""

MOST_SUBSTEPS = 15


@cache
def turn_column(bit: int) -> str:
    """The column that holds one of the bits of `ReadyRule`: eight of them to a column."""
    return f"turns {bit >> 3}"


@cache
def turn_mask(bit: int) -> NDArray[np.uint8]:
    """What that bit is worth within its column: (1,)."""
    return np.array([1 << (bit & 7)], np.uint8)


def substeps_of(effect: Effect) -> int:
    """How many places between whole frames are recorded of each particle: those of the steps, where a look draws trails through them."""
    steps = min(effect.clock.steps_per_frame - 1, MOST_SUBSTEPS)
    traced = any(look.through_steps and effect.works("looks", index) for index, look in enumerate(effect.looks))
    return steps if traced else 0


KEPT_OF_MOTION = frozenset(("pull", "contact_shape"))
"""Columns that motion fills, whoever asks for them."""


def _for_looks(effect: Effect) -> set[str]:
    """Of these, what looks ask for."""
    return {name for path, part in parts_of(effect) if path[:1] == ("looks",) for name in part.needs()} & KEPT_OF_MOTION


def recorded_for_looks(effect: Effect) -> list[Any]:
    """What is recorded of particles only because a look asks for it: part of what decides a run's bytes."""
    asked = sorted({rule for _path, part in parts_of(effect) for memory, rule in part.asks_of_rules() if memory == "acted"})
    return [substeps_of(effect), asked, *sorted(_for_looks(effect))]


def in_run(effect: Effect) -> list[Part]:
    """Every part of a document that takes part in computing. Looks only look: what they read and nobody ever writes has its value at birth."""
    return [part for path, part in parts_of(effect) if path[:1] != ("looks",)]


def firsts_of(effect: Effect, table: Table) -> list[str]:
    """Attributes whose first values are kept, since something takes particles back to them."""
    return sorted({name for part in in_run(effect) if (name := part.returns_to()) is not None and name in table})


def optional_columns(effect: Effect, table: Table) -> set[str]:
    """Columns that only some effects have: those that a part says it needs, and those of attributes that a part names."""
    found = _for_looks(effect)
    for part in in_run(effect):
        found.update(part.needs())
        for name, ui in declared(type(part)):
            if ui.get("to") == "attribute" and (info := table.get(str(vars(part)[name]))) is not None:
                found.update(info.optional)
    return found


def memory_of(effect: Effect, rules: tuple[ReadyRule, ...], table: Table) -> dict[str, AttributeInfo]:
    """The rows of everything that rules and their parts remember, by their ids."""
    rows: list[AttributeInfo] = []
    for ready in rules:
        if ready.remembers:
            rows.append(remembered(ready.held, "flag"))
        if ready.rule.trigger == "once":
            rows.append(remembered(ready.fired, "flag"))
        if ready.off:
            rows.append(remembered(ready.off, "flag", int(ready.rule.waits)))
        if ready.acted:
            rows.append(remembered(ready.acted, "number", float(FOREVER_AGO)))
        condition = () if ready.rule.condition is None else (ready.rule.condition,)
        for owner in (*condition, *ready.does.all(), *ready.otherwise.all()):
            for _path, part in parts_of(owner):
                rows += part.remembers(table)
    for hood in effect.neighbourhoods:
        rows += hood.remembers(table)
    for name in firsts_of(effect, table):
        rows.append(remembered(f"first {name}", "vector" if table[name].width == 3 else "number", float("nan")))
    return {row.id: row for row in rows}


def columns_of(effect: Effect, table: Table, memory: Table, turns: int) -> dict[str, ColumnSpec]:
    """State beyond what every particle has: a column for each row of the tables that needs one, the bits of turns, places within frames."""
    rows = [info for info in table.values() if info.own] + list(memory.values())
    extra: dict[str, ColumnSpec] = {info.column: (*info.kept, info.birth) for info in rows}
    for bit in range(0, turns, 8):
        extra[turn_column(bit)] = ("u1", 1, 0)
    for name in sorted(optional_columns(effect, table) & set(OPTIONAL_COLUMNS)):
        extra[name] = OPTIONAL_COLUMNS[name]
    if substeps := substeps_of(effect):
        extra[SUBSTEPS] = ("f4", 3 * substeps, 0.0)
    return extra
