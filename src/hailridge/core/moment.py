"""What quantities, amounts, conditions and actions work on: the particles at one moment, and the buffers that a step fills."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from hailridge.core.events import EventLog, Happening
from hailridge.core.kernels import vectors as kernel
from hailridge.core.neighbours import Neighbours
from hailridge.core.particles import Array, Particles, Rows, as_indices, lengths, named_rows, number_of, taken
from hailridge.core.randomness import normals, uniforms
from hailridge.core.scene import Scene
from hailridge.model.attributes import BUILT_IN

NOTHING3 = np.zeros((0, 3), np.float32)


@dataclass
class Litter:
    """Children waiting to appear after the last rule."""

    parents: NDArray[np.intp]
    counts: NDArray[np.int64]
    action: Any
    rule: int
    axes: Array | None = None


@dataclass
class Encounter:
    """One contact action with whom it concerns: what the contact phase is told by rules."""

    shape: int
    rows: Rows
    bounciness: Any
    friction: Any


@dataclass
class Finding:
    """Something to tell the artist about a run. `item` is a path into the document."""

    level: str
    item: tuple[str, int] | None
    frame: int
    text: str


PILES: dict[str, int] = {"push": 3, "drag": 1, "air": 3, "square": 1, "plate": 4, "limit": 1}
"""What pushing actions pile up for the motion phase, and its components (units in `kernels.motion`)."""


@dataclass
class Buffers:
    """What actions of one step pile up: pushes and drag, children, contacts, and actions that act on motion itself."""

    piles: dict[str, Array] = field(default_factory=dict)
    litters: list[Litter] = field(default_factory=list)
    encounters: list[Encounter] = field(default_factory=list)
    movers: list[tuple[Any, Rows]] = field(default_factory=list)


class Moment:
    """The particles of a scene at one time. The engine makes one per run and moves it on; looking at a recorded frame makes its own."""

    def __init__(self, scene: Scene, particles: Particles, frame: int = 0, time: float = 0.0) -> None:
        self.scene = scene
        self.particles = particles
        self.frame = frame
        self.time = time
        self.dt = 0.0
        self.step = 0
        self.buffers = Buffers()
        self.doomed = np.zeros(0, np.bool_)
        self.any_doomed = False
        self.surface = NOTHING3
        self.log = EventLog(0)
        self.findings: dict[tuple[str, Any], Finding] = {}
        self.actor = -1
        self._pile_pool: dict[str, Array] = {}
        self._field_values: dict[str, tuple[Any, Array]] = {}
        self._moved = 0
        self._regrouped = 0
        self._neighbours = Neighbours()
        self._stood: tuple[Any, Array] | None = None
        self.past: Callable[[int], Moment | None] | None = None
        """Gives the moment of an earlier recorded frame, None where it is not there; for looks that follow where particles have been."""

    # ── Reading ─────────────────────────────────────────────────────────────────────────────────────────────────────────

    @property
    def count(self) -> int:
        return self.particles.count

    def everyone(self) -> slice:
        return slice(0, self.particles.count)

    def column(self, name: str) -> Array:
        return self.particles.column(name)

    def read(self, name: str, rows: Rows) -> Array:
        """Values of a column: (k,) or (k, width). For a slice a view; otherwise a copy."""
        return taken(self.column(name), rows)

    def read_attribute(self, attribute: str, rows: Rows) -> Array:
        """Present values of a built-in or own attribute: (k,) or (k, 3)."""
        if attribute == "speed":
            return lengths(self.read("velocity", rows))
        if attribute == "spin":
            return np.degrees(self.read("spin", rows)) if self.particles.has("spin") else np.zeros((number_of(rows), 3), np.float32)
        if attribute == "picture" and not self.particles.has("picture"):
            return np.zeros(number_of(rows), np.float32)
        return self.read(attribute if attribute in BUILT_IN else f"own {attribute}", rows)

    def field_of(self, field: str, rows: Rows) -> Array:
        """A field where particles are: (k,) float32, 0–1. It is asked for once a step, as long as nobody puts particles elsewhere."""
        known = self._field_values.get(field)
        now = (self.step, self.time, self.count, self._moved)
        if known is None or known[0] != now:
            known = self._field_values[field] = (now, self.scene.field_strength(field, self.column("position"), self.time))
        return known[1][rows]

    def neighbour_counts(self, rows: Rows, reach: Any, groups: list[str], touching: bool = False) -> NDArray[np.int32]:
        """How many others of these groups lie within `reach` (m; one for all, or (k,)) of each row: (k,) int32.

        Places are those of the start of the step, groups the present ones. With `touching`, the radii of both are added to the reach.
        """
        reach = np.asarray(reach, np.float32)
        radii = self.column("radius")
        if touching:
            reach = reach + radii[rows]
        widest = float(reach.max(initial=0.0)) + (float(radii.max(initial=0.0)) if touching else 0.0)
        members = self.scene.members(groups)
        marked = None if members.all() else members[self.column("group")]
        if self.any_doomed and len(self.doomed) == self.count:
            marked = ~self.doomed if marked is None else marked & ~self.doomed
        places = self._places()
        stamp = (self.step, self.scene.at_end, self.time, self.count, self._regrouped)
        grid, targets = self._neighbours.among(stamp, (tuple(groups), touching), widest, places, marked)
        own = np.full(self.count, -1, np.int64)
        own[targets] = targets
        everybody = marked is None and number_of(rows) == self.count
        return grid.count(taken(places, rows), reach, radii[targets] if touching else None, own[rows], themselves=everybody)

    def nearest(self, rows: Rows, reach: float, groups: list[str]) -> NDArray[np.int64]:
        """The nearest other particle of these groups within `reach` (m) of each row: its row (k,) int64, −1 where there is none."""
        return self.nearest_of(rows, reach, groups, 1)[0][:, 0]

    def nearest_of(self, rows: Rows, reach: float, groups: list[str], most: int) -> tuple[NDArray[np.int64], NDArray[np.float32]]:
        """The `most` nearest others of these groups within `reach` (m) of each row, nearest first: rows (k, most) int64, −1 where there are no
        more, and distances (k, most) m."""
        members = self.scene.members(groups)
        marked = None if members.all() else members[self.column("group")]
        places = self._places()
        stamp = (self.step, self.scene.at_end, self.time, self.count, self._regrouped)
        grid, targets = self._neighbours.among(stamp, (tuple(groups), False), reach, places, marked)
        own = np.arange(self.count)[rows]
        return grid.nearest(taken(places, rows), np.full(1, reach, np.float32), most, np.asarray(targets, np.int64), own)

    def _places(self) -> Array:
        """Where everybody was at the start of the step, whoever has been put elsewhere since."""
        if self._stood is not None and self._stood[0] == (self.step, self.scene.at_end, self.count):
            return self._stood[1]
        return self.column("position")

    def uniforms(self, rows: Rows, item: int, draw: int = 0) -> NDArray[np.float32]:
        """Four numbers in [0, 1) for each row, decided by its lineage: (k, 4)."""
        return uniforms(self.column("key")[rows], item, draw, self.scene.seed)

    def normals(self, rows: Rows, item: int) -> NDArray[np.float32]:
        return normals(self.column("key")[rows], item, 0, self.scene.seed)

    # ── Writing ─────────────────────────────────────────────────────────────────────────────────────────────────────────

    def write_attribute(self, attribute: str, rows: Rows, values: Any) -> None:
        """Set an attribute, kept within its limits. Values that are not finite are not written and reported with the rule that made them."""
        with np.errstate(over="ignore", invalid="ignore"):
            values = np.asarray(values, np.float32)
        if not np.isfinite(values).all():
            self.find("warning", ("rules", self.actor), f"a value for {attribute} is not a finite number; it was left as it was", key=attribute)
            old = self.read_attribute(attribute, rows)
            values = np.where(np.isfinite(values), values, old).astype(np.float32)
        info = BUILT_IN.get(attribute)
        if attribute == "position":
            self._moved += 1
            if self._stood is None or self._stood[0] != (self.step, self.scene.at_end, self.count):
                self._stood = ((self.step, self.scene.at_end, self.count), self.column("position").copy())
        if info is not None and info.low is not None:
            values = np.clip(values, np.float32(info.low), np.float32(info.high))
        if attribute == "speed":
            velocity = self.column("velocity")
            old_speed = lengths(velocity[rows])
            factor = np.where(old_speed > 1e-9, values / np.maximum(old_speed, 1e-9), 0.0)
            velocity[rows] *= factor[:, None].astype(np.float32)
        elif attribute == "spin":
            self.column("spin")[rows] = np.radians(values)
        else:
            self.column(attribute if info is not None else f"own {attribute}")[rows] = values

    def move_to_group(self, rows: Rows, group: str) -> None:
        """Change group; time in the group starts anew, and rules that no longer concern the particle forget that they held."""
        target = self.scene.group_index[group]
        indices = as_indices(rows)
        present = self.column("group")
        indices = indices[present[indices] != target]
        if len(indices) == 0:
            return
        self.log.add(Happening.MOVE, self, indices, self.actor, previous=present[indices], present=target)
        if self.particles.has("came_from"):
            self.column("came_from")[indices] = present[indices]
        present[indices] = target
        self._regrouped += 1
        self.column("entered")[indices] = self.time
        for ready in self.scene.rules:
            if ready.remembers and not ready.members[target]:
                self.column(ready.held)[indices] = 0

    def doom(self, rows: Rows) -> None:
        """Mark for removal; rules further down no longer see them."""
        if number_of(rows):
            self.doomed[rows] = True
            self.any_doomed = True
            self._regrouped += 1

    def pile(self, name: str) -> Array:
        """The pile of one kind of push (`PILES`), a row for each particle, zeroed at the first use in a step."""
        pile = self.buffers.piles.get(name)
        if pile is None or len(pile) != self.count:
            width = PILES[name]
            pool = self._pile_pool.get(name)
            if pool is None or len(pool) < self.count:
                room = self.count * 3 // 2 + 16
                pool = self._pile_pool[name] = np.zeros(room if width == 1 else (room, width), np.float32)
            pile = pool[: self.count]
            pile[:] = 0.0
            self.buffers.piles[name] = pile
        return pile

    def push(self, pile: str, rows: Rows, vectors: Any, factors: Any = 1.0) -> None:
        """Add vectors, (k, 3) or one for all, times factors, (k,) or one for all, to a pile of vectors."""
        each = np.ascontiguousarray(np.atleast_2d(np.asarray(vectors, np.float32)))
        scale = np.ascontiguousarray(np.atleast_1d(np.asarray(factors, np.float32)))
        number = number_of(rows)
        kernel.add_scaled(number, self.pile(pile), *named_rows(rows), number, each, scale)

    def midway(self, rows: Rows) -> Array:
        """Where particles will be half a step from now if nothing pushes them: (k, 3). Pushes that vary in space are evaluated there."""
        return np.ascontiguousarray(self.read("position", rows) + self.read("velocity", rows) * np.float32(self.dt / 2))

    @property
    def midtime(self) -> float:
        return self.time + self.dt / 2

    def find(self, level: str, item: tuple[str, int] | None, text: str, key: Any = None) -> None:
        """Report something once per item and kind, with the frame at which it first happened."""
        self.findings.setdefault((text if key is None else key, item), Finding(level, item, self.frame, text))
