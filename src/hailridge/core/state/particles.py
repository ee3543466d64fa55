"""The state of all particles: one array per attribute, grown by doubling, compacted in order."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from hailridge.core.kernels import vectors as kernel

Array = NDArray[Any]
Rows = slice | NDArray[np.intp]
"""Which particles: a slice where they are contiguous (no copy), else ascending indices."""

ColumnSpec = tuple[str, int, float | tuple[float, ...]]
"""dtype, components, value at birth."""

FOREVER_AGO = np.float32(-1e30)

# name: (dtype, components, value at birth)
BASE_COLUMNS: dict[str, ColumnSpec] = {
    "id": ("i4", 1, 0),
    "key": ("u8", 1, 0),
    "parent_id": ("i4", 1, -1),
    "generation": ("i4", 1, 0),
    "family": ("i4", 1, -1),
    "birth_index": ("i4", 1, 0),
    "group": ("i2", 1, 0),
    "position": ("f4", 3, 0),
    "velocity": ("f4", 3, 0),
    "born": ("f8", 1, 0),
    "age": ("f4", 1, 0),
    "lag": ("f4", 1, 0),
    "lifetime": ("f4", 1, 1),
    "radius": ("f4", 1, 0.05),
    "mass": ("f4", 1, 1),
    "color": ("f4", 3, 1),
    "opacity": ("f4", 1, 1),
    "entered": ("f4", 1, 0),
    "contact_time": ("f4", 1, float(FOREVER_AGO)),
    "contact_count": ("i4", 1, 0),
    "impact_speed": ("f4", 1, 0),
    "touching": ("u8", 1, 0),
    "fresh": ("u1", 1, 0),
}
"""Built-in state: 117 bytes a particle, rule memory and own attributes not counted.

`generation` is how many births lie between it and a source, `family` the id of its first ancestor.
`born` is the time of birth (s), from which `age` follows; `lag` how long it had lived at the end of its first step. `touching` has a bit for each
shape that it touches. `fresh` marks children on which rules that give birth on birth have not acted yet.
"""

OPTIONAL_COLUMNS: dict[str, ColumnSpec] = {
    "orientation": ("f4", 4, (0.0, 0.0, 0.0, 1.0)),
    "spin": ("f4", 3, 0.0),
    "birthplace": ("f4", 3, 0.0),
    "came_from": ("i2", 1, -1),
    "picture": ("f4", 1, 0.0),
    "held": ("u1", 1, 0),
    "stuck": ("i2", 1, 0),
    "stuck_face": ("i4", 1, 0),
    "stuck_place": ("f4", 4, 0.0),
    "stuck_turn": ("f4", 4, (0.0, 0.0, 0.0, 1.0)),
    "sliding": ("i2", 1, 0),
    "rolling": ("u1", 1, 0),
    "contact_shape": ("i2", 1, -1),
    "met": ("i4", 1, -1),
    "met_group": ("i2", 1, -1),
    "pull": ("f4", 3, 0.0),
    "trail_begun": ("f4", 1, float(FOREVER_AGO)),
}
"""State that most effects do without: orientation (x, y, z, w), spin (rad/s, in the world), where a particle was born, its group before,
which drawing it shows, whether it is a mark, which nothing moves; which shape it is stuck to (its index and one more, 0 for none), and where on it
(`scene.sticking`); which one it slides along, told in the same way, and whether it rolled in the latest step; which shape it touched last;
which particle it met last, by its id, and in which group that was; what pushed it in the latest step (m/s²); and when it began a new trail (s)."""


class Particles:
    """All living particles, ordered by birth. `column(name)` is a view of the living rows."""

    def __init__(self, extra: dict[str, ColumnSpec] | None = None, capacity: int = 1024) -> None:
        self.layout = BASE_COLUMNS | (extra or {})
        self.count = 0
        self.next_id = 0
        self._capacity = capacity
        self.arrays: dict[str, Array] = {name: np.empty(_shape(capacity, spec), spec[0]) for name, spec in self.layout.items()}

    def column(self, name: str) -> Array:
        """The living rows of an attribute: (n,) or (n, 3), a view that writes through."""
        return self.arrays[name][: self.count]

    def has(self, name: str) -> bool:
        return name in self.arrays

    def append(self, number: int) -> slice:
        """Add `number` particles with birth values and fresh ids; returns their rows."""
        start, end = self.count, self.count + number
        if end > self._capacity:
            self._grow(end)
        for name, (_dtype, _width, initial) in self.layout.items():
            self.arrays[name][start:end] = initial
        self.arrays["id"][start:end] = np.arange(self.next_id, self.next_id + number)
        self.next_id += number
        self.count = end
        return slice(start, end)

    def remove(self, doomed: Array) -> None:
        """Drop the rows where `doomed` (n,) is true; the others keep their order."""
        first = int(np.argmax(doomed))
        kept = np.flatnonzero(~doomed[first:]) + first
        end = first + len(kept)
        for array in self.arrays.values():
            array[first:end] = array.take(kept, axis=0)
        self.count = end

    def sort_by_id(self) -> None:
        """Put the rows in ascending order of id."""
        order = np.argsort(self.column("id"), kind="stable")
        for array in self.arrays.values():
            array[: self.count] = array[: self.count][order]

    def load(self, columns: dict[str, Array], count: int) -> None:
        """Replace the state by recorded columns; those not recorded get their birth values."""
        if count > self._capacity:
            self._grow(count)
        self.count = count
        for name, (_dtype, _width, initial) in self.layout.items():
            self.arrays[name][:count] = columns.get(name, initial)

    def bytes_per_particle(self) -> int:
        return sum(np.dtype(dtype).itemsize * width for dtype, width, _ in self.layout.values())

    def _grow(self, needed: int) -> None:
        self._capacity = max(needed, self._capacity * 2)
        for name, spec in self.layout.items():
            larger = np.empty(_shape(self._capacity, spec), spec[0])
            larger[: self.count] = self.arrays[name][: self.count]
            self.arrays[name] = larger


def touching_bit(shape: int) -> np.uint64:
    """The bit of a shape, by its index, in the column `touching`."""
    return np.uint64(1 << shape)


def _shape(capacity: int, spec: ColumnSpec) -> tuple[int, ...]:
    return (capacity,) if spec[1] == 1 else (capacity, spec[1])


def number_of(rows: Rows) -> int:
    """How many particles `rows` names."""
    return rows.stop - rows.start if isinstance(rows, slice) else len(rows)


def taken(column: Array, rows: Rows) -> Array:
    """The values of some rows; for many components several times as fast as indexing."""
    return column[rows] if isinstance(rows, slice) else column.take(rows, axis=0)


NO_ROWS = np.zeros(0, np.intp)


def named_rows(rows: Rows) -> tuple[NDArray[np.intp], int]:
    """Rows as kernels take them: their indices and 0, or no indices and where a slice starts."""
    return (NO_ROWS, rows.start) if isinstance(rows, slice) else (rows, 0)


def as_indices(rows: Rows) -> NDArray[np.intp]:
    return np.arange(rows.start, rows.stop) if isinstance(rows, slice) else rows


def lengths(vectors: Array) -> Array:
    """Lengths of vectors (n, 3), float32 or float64: (n,) of the same type."""
    each = np.ascontiguousarray(vectors)
    out: Array = kernel.lengths_single(each) if each.dtype == np.float32 else kernel.lengths_double(each)
    return out


def as_factor(values: Any) -> Array:
    """Amounts given for rows, shaped to multiply vectors: (k,) becomes (k, 1), one number for all stays one."""
    shaped: Array = np.asarray(values, np.float32)
    return shaped[:, None] if shaped.ndim == 1 else shaped
