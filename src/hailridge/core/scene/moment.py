"""What quantities, amounts, conditions and actions work on: the particles at one moment, and the buffers that a step fills."""

from __future__ import annotations

from collections.abc import Callable, Hashable
from typing import Any

import numpy as np
from numpy.typing import NDArray

from hailridge.core.kernels import memory, motion
from hailridge.core.scene.bodies import Body
from hailridge.core.scene.buffers import Buffers, Finding, SearchTally
from hailridge.core.scene.kept import FieldValues, kept_as
from hailridge.core.scene.layout import turn_column, turn_mask
from hailridge.core.scene.plan import Scene
from hailridge.core.state.asking import Answers
from hailridge.core.state.contributions import Contribution, Piles
from hailridge.core.state.costs import Costs
from hailridge.core.state.events import EventLog, Happening
from hailridge.core.state.orientation import angles_of
from hailridge.core.state.particles import Array, Particles, Rows, as_indices, lengths, named_rows, number_of, taken
from hailridge.core.state.randomness import deviates, normals, uniforms

NOTHING3 = np.zeros((0, 3), np.float32)

REMOVED = "removed"
"""What answers are told of under this name though it is no column: who has been marked for removal."""


class Moment:
    """The particles of a scene at one time. The engine makes one per run and moves it on; looking at a recorded frame makes its own."""

    def __init__(self, scene: Scene, particles: Particles, frame: int = 0, time: float = 0.0) -> None:
        self.scene = self.start = self.end = scene
        """The scene that is read now. In a step it is that of its `start` for births and pushes, that of its `end` from contact on."""
        self.at_end = False
        self.particles = particles
        self.frame, self.time = frame, time
        self.dt = 0.0
        self.spans: NDArray[np.float32] | None = None
        """How much of the step each particle lives through (n,) s, where some are born within it."""
        self.step = 0
        self.buffers = Buffers()
        self.doomed, self.any_doomed = np.zeros(0, np.bool_), False
        self.unfit: NDArray[np.bool_] | None = None
        """For whom a value that was asked for since the present action began is no finite number (n,): nothing is written for them."""
        self.surface, self.log = NOTHING3, EventLog(0)
        self.findings: dict[tuple[Any, str | None], Finding] = {}
        self.actor = -1
        self.answers = Answers()
        self.costs = Costs()
        """Where the time has gone since the run began."""
        self.drawn_in: dict[str, float] = {}
        """How long each look took when it was drawn last (s), all that it asked for included, by its address."""
        self.searches: dict[str, SearchTally] = {}
        """How the neighbourhoods have done since the run began, by their ids."""
        self.goals: dict[str, list[int]] = {}
        """Of those who seek a goal, since the run began: how many were near it, flew past it, and were stuck there; by the address of the urge."""
        self.urges: dict[str, list[float]] = {}
        """What each urge wanted and got of the largest force in the latest step, summed over those who steer, and how many these are; by address."""
        self._stood: tuple[Any, Array] | None = None
        self.started: Array | None = None
        self.departed: dict[str, Array] = {}
        """Of a recorded frame: those who left within it, for whom some rule held (`engine.departures`)."""
        self.looked: list[int] = []
        """Of a recorded frame: how many each rule looked at at its turn."""
        self.past: Callable[[int], Moment | None] | None = None
        """Gives the moment of an earlier recorded frame, None where it is not there; for looks that follow where particles have been."""
        self.traces: dict[str, Any] = {}
        """What looks remember of earlier frames, by the look's id."""

    def begin_step(self, start: Scene, end: Scene) -> None:
        """Told by the engine: numbers and shapes are read as at the start of the step."""
        self.scene, self.start, self.end, self.at_end = start, start, end, False
        self.begin_writing()

    def reach_end(self) -> None:
        """Told by the engine: from here on numbers and shapes are read as at the end of the step."""
        self.scene, self.at_end = self.end, True

    def body(self, shape: int) -> Body:
        """A shape, by its index, at both ends of the step."""
        return Body(shape, self.end.shapes[shape], self.start.poses[shape], self.end.poses[shape])

    # ── Reading ─────────────────────────────────────────────────────────────────────────────────────────────────────────

    @property
    def count(self) -> int:
        return self.particles.count

    def everyone(self) -> slice:
        return slice(0, self.particles.count)

    def column(self, name: str) -> Array:
        """The living rows of an attribute: (n,) or (n, width), a view that writes through."""
        particles = self.particles
        return particles.arrays[name][: particles.count]

    def read(self, name: str, rows: Rows) -> Array:
        """Values of a column: (k,) or (k, width). For a slice a view; otherwise a copy."""
        return taken(self.column(name), rows)

    def read_attribute(self, attribute: str, rows: Rows) -> Array:
        """Present values of a built-in or own attribute: (k,) or (k, 3). Flags are 0 or 1, orientations turns in degrees."""
        if attribute == "speed":
            return lengths(self.read("velocity", rows))
        if attribute == "spin":
            return np.degrees(self.read("spin", rows)) if self.particles.has("spin") else np.zeros((number_of(rows), 3), np.float32)
        if attribute == "picture" and not self.particles.has("picture"):
            return np.zeros(number_of(rows), np.float32)
        info = self.scene.table[attribute]
        values = self.read(info.column, rows)
        match info.value_type:
            case "whole" | "flag":
                return values.astype(np.float32)
            case "orientation":
                return angles_of(values)
            case _:
                return values

    def first_values(self, attribute: str, rows: Rows) -> Array:
        """What an attribute was when each particle came into being: (k,) or (k, 3); what it is now where nobody has kept that, or not yet."""
        name, present = f"first {attribute}", self.read_attribute(attribute, rows)
        if not self.particles.has(name):
            return present
        first = self.read(name, rows)
        return np.where(np.isnan(first), present, first)

    def keep_first_values(self, rows: slice) -> None:
        """Told once of particles that have come into being, after whatever is done on birth."""
        for attribute in self.scene.plan.firsts:
            self.column(f"first {attribute}")[rows] = self.read_attribute(attribute, rows)

    def field_of(self, field: str, rows: Rows) -> Array:
        """A field where particles are: (k,) float32, 0–1. It is asked for once for each state of the particles."""
        known = self.answers.asked(("field", field), ("position",), lambda before: self._asked_field(field, before), (self.count, self.time))
        return known.values[rows]

    def _asked_field(self, field: str, before: FieldValues | None) -> FieldValues:
        """The field for everyone. The end of a step is the start of the next: whoever stands where it stood at that very time has the same value."""
        places, ids = self.column("position"), self.column("id")
        begun = self.costs.begin()
        if before is None or before.time != self.time or len(before.ids) == 0:
            values = self.scene.field_strength(field, places, self.time)
        else:
            at = np.searchsorted(before.ids, ids).clip(0, len(before.ids) - 1)
            stands = (before.ids[at] == ids) & np.all(before.places[at] == places, axis=1)
            values = before.values[at]
            others = np.flatnonzero(~stands)
            if len(others):
                values[others] = self.scene.field_strength(field, places[others], self.time)
        self.costs.end(f"fields/{field}", begun)
        return FieldValues(self.time, ids.copy(), places.copy(), values)

    def each(self, key: Hashable, reads: tuple[str, ...], rows: Rows, compute: Callable[[Rows], Array]) -> Array:
        """What is asked of every particle by itself: kept where it is asked of all of them, and taken from there by whoever asks again.

        `reads` are the columns that it is read from. `compute` gives it for some rows; nobody writes into what is returned.
        """
        if number_of(rows) == self.count:
            return self.answers.asked(key, reads, lambda _before: compute(self.everyone()), self.count)
        known = self.answers.known(key, reads, self.count)
        return compute(rows) if known is None else taken(known, rows)

    def distance_to(self, shape: str, rows: Rows) -> NDArray[np.float64]:
        """How far particles are from a shape's surface: (k,) m."""
        pose = self.scene.pose(shape)
        return self.each(("distance", shape), ("position",), rows, lambda rows: pose.closest(self.read("position", rows))[1])

    def inside(self, shape: str, rows: Rows) -> NDArray[np.bool_]:
        """Who is inside a shape: (k,)."""
        pose = self.scene.pose(shape)
        return self.each(("inside", shape), ("position",), rows, lambda rows: pose.inside(self.read("position", rows)))

    def places_before(self) -> Array:
        """Where everybody was before rules put anybody elsewhere in this part of the step."""
        if self._stood is not None and self._stood[0] == (self.answers.state(), self.count):
            return self._stood[1]
        return self.column("position")

    def places_at_start(self, rows: Rows) -> Array:
        """Where each was when the step began, or when it was born in it (k, 3): known where an action asks for it (`Action.along_the_way`)."""
        now: Array = self.column("position")[rows]
        if self.started is None:
            return now
        indices = as_indices(rows)
        known = indices < len(self.started)
        if known.all():
            return self.started.take(indices, axis=0)
        out = now.copy()
        out[known] = self.started[indices[known]]
        return out

    def note_urge(self, address: str, wanted: float, got: float, number: int) -> None:
        """Told by those who steer: what an urge wanted and got, as parts of the largest force, summed over `number` particles."""
        known = self.urges.setdefault(address, [0.0, 0.0, 0.0])
        known[:] = [before + value for before, value in zip(known, (wanted, got, number), strict=True)]

    def note_goal(self, address: str, near: int, past: int, stuck: int) -> None:
        """Told by an urge that seeks: how many are near its goal, fly past it, and get nowhere for want of force."""
        known = self.goals.setdefault(address, [0, 0, 0])
        known[:] = [before + value for before, value in zip(known, (near, past, stuck), strict=True)]

    def begin_part(self) -> None:
        """Told by the engine where a part of the step begins in which everybody may stand elsewhere than before."""
        self.answers.begin_part()
        self.begin_writing()

    def begin_writing(self) -> None:
        """Told where one action ends and the next begins: whom the one left out is no matter to the other."""
        self.unfit = None

    def elapsed(self, rows: Rows) -> Any:
        """How much of this step each particle lives through, in seconds: one number where that is the same for all, or (k,) float32.

        Whatever happens a bit each step goes by this, so that newborns get no more than their share.
        """
        return np.float32(self.dt) if self.spans is None else self.spans[rows]

    def uniforms(self, rows: Rows, item: int, draw: int = 0) -> NDArray[np.float32]:
        """Four numbers in [0, 1) for each row, decided by its lineage: (k, 4)."""
        return uniforms(self.column("key")[rows], item, draw, self.scene.seed)

    def deviates(self, rows: Rows, item: int, width: float) -> NDArray[np.float32]:
        """A number for each row, spread evenly from −`width` to `width`, decided by its lineage: (k,)."""
        return deviates(self.column("key")[rows], item, 0, self.scene.seed, width)

    def normals(self, rows: Rows, item: int) -> NDArray[np.float32]:
        return normals(self.column("key")[rows], item, 0, self.scene.seed)

    # ── Writing ─────────────────────────────────────────────────────────────────────────────────────────────────────────

    def leave_out(self, rows: Rows, spoilt: NDArray[np.bool_], item: str | None) -> None:
        """Told of rows (k,) for which a part, by its address, gives no finite number (k,): what the present action writes leaves them as they are."""
        first = int(self.column("id")[rows][int(np.argmax(spoilt))])
        self.find("warning", item, f"this gives no finite number for particle {first}; what it would write is left out", key="no number")
        known, self.unfit = self.unfit, np.zeros(self.count, np.bool_)
        if known is not None:
            self.unfit[: len(known)] = known
        self.unfit[rows] |= spoilt

    def fit(self, column: str, rows: Rows, values: Any) -> Any:
        """Values (k,) or (k, 3) for a column of these rows; where one was left out, what stands there."""
        if self.unfit is None or not (left := self.unfit[rows]).any():
            return values
        old = self.column(column)[rows]
        return np.where(left if old.ndim == 1 else left[:, None], old, values).astype(old.dtype)

    def write_attribute(self, attribute: str, rows: Rows, values: Any) -> None:
        """Set an attribute, kept within its limits. Values that are not finite are not written and reported with the rule that made them."""
        with np.errstate(over="ignore", invalid="ignore"):
            values = np.asarray(values, np.float32)
        if self.unfit is not None and (left := self.unfit[rows]).any():
            old = self.read_attribute(attribute, rows)
            values = np.where(left if old.ndim == 1 else left[:, None], old, values).astype(np.float32)
        if not np.isfinite(values).all():
            old = self.read_attribute(attribute, rows)
            fine = np.broadcast_to(np.isfinite(values), old.shape)
            spoilt = np.flatnonzero(~fine.reshape(len(old), -1).all(axis=1))
            if len(spoilt):
                who = self.column("id")[rows][spoilt[0]]
                text = f"a value for {attribute} of particle {who} is not a finite number; it was left as it was"
                self.find("warning", self.effect_address("rules", self.actor), text, key=attribute)
            values = np.where(fine, values, old).astype(np.float32)
        info = self.scene.table[attribute]
        if attribute == "position":
            now = (self.answers.state(), self.count)
            if self._stood is None or self._stood[0] != now:
                self._stood = (now, self.column("position").copy())
        if info.low is not None:
            values = np.clip(values, np.float32(info.low), np.float32(info.high))
        if attribute == "speed":
            velocity = self.column("velocity")
            old_speed = lengths(velocity[rows])
            factor = np.where(old_speed > 1e-9, values / np.maximum(old_speed, 1e-9), 0.0)
            velocity[rows] *= factor[:, None].astype(np.float32)
        elif attribute == "spin":
            self.column("spin")[rows] = np.radians(values)
        elif attribute == "age":
            self._set_age(rows, values)
        else:
            self._write(info.column, rows, kept_as(info, values))

    def _write(self, column: str, rows: Rows, values: Any) -> None:
        """Write into a column; whatever was asked of it before holds no more, if anything is other than it was."""
        whole = self.column(column)
        if not self.answers.watches(column):
            whole[rows] = values
            return
        before = taken(whole, rows).copy() if isinstance(rows, slice) else taken(whole, rows)
        whole[rows] = values
        if not np.array_equal(before, taken(whole, rows)):
            self.answers.changed(column)

    def _set_age(self, rows: Rows, values: Array) -> None:
        """Age follows from the time of birth, so that is what is moved."""
        age = self.column("age")
        self.column("born")[rows] -= values.astype(np.float64) - age[rows]
        age[rows] = values
        if self.at_end:
            # It is that old at the end of a step, not somewhere within it.
            self.column("lag")[rows] = 0.0

    def appear(self, rows: slice, span: Any) -> None:
        """Told of particles that were added: how much of this step they live through (s; one number, or one for each)."""
        missing = self.count - len(self.doomed)
        if missing > 0:
            self.doomed = np.concatenate([self.doomed, np.zeros(missing, np.bool_)])
        before = rows.start
        if self.spans is None and np.ndim(span) == 0 and span == np.float32(self.dt):
            return
        known = np.full(before, self.dt, np.float32) if self.spans is None else self.spans[:before]
        self.spans = np.concatenate([known, np.broadcast_to(np.asarray(span, np.float32), (rows.stop - before,))])

    def forget_rows(self) -> None:
        """Told after rows have been dropped: nothing that is kept by row holds any more."""
        self.doomed, self.any_doomed = np.zeros(self.count, np.bool_), False
        self.spans, self.surface, self._stood = np.zeros(self.count, np.float32), NOTHING3, None
        self.started = None
        self.begin_part()

    def surface_at(self, rows: Rows) -> Array | None:
        """The normals at the hardest touch of this step (k, 3), zero for those who touched nothing; None where nobody did."""
        if not len(self.surface):
            return None
        indices = as_indices(rows)
        known = indices < len(self.surface)
        out = np.zeros((len(indices), 3), np.float32)
        out[known] = self.surface[indices[known]]
        return out

    def mark_turn(self, bit: int, rows: Rows, afresh: bool) -> None:
        """Note for whom a rule held at its turn: that is recorded, so that rings show whom counts count. `afresh` forgets whom it held for before."""
        column, mask = self.column(turn_column(bit)), turn_mask(bit)
        if number_of(rows) == len(column):
            column |= mask
        else:
            memory.mark(column, mask, *named_rows(rows), number_of(rows), int(afresh))

    def marked_turn(self, bit: int) -> NDArray[np.bool_]:
        """For whom a rule held at its turn in this step, or in the recorded one: (n,)."""
        return np.asarray((self.column(turn_column(bit)) & turn_mask(bit)) != 0)

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
        self.answers.changed("group")
        self.column("entered")[indices] = self.time
        for ready in self.scene.rules:
            if ready.remembers and not ready.members[target]:
                self.column(ready.held)[indices] = 0

    def doom(self, rows: Rows) -> None:
        """Mark for removal; rules further down no longer see them."""
        if number_of(rows):
            self.doomed[rows] = True
            self.any_doomed = True
            self.answers.changed(REMOVED)

    def pile_up(self, given: Contribution, rows: Rows) -> None:
        """Add what a force gives for these rows to the motion of this step."""
        if self.buffers.piles.count != self.count:
            self.buffers.piles = Piles(self.count)
        self.buffers.piles.add(given, rows)

    def left_of(self, rows: Rows, half_life: Any) -> Any:
        """What part each has left at the end of the step of what it loses half of every `half_life` (s): (k,) or one for all."""
        return np.float32(0.5) ** (self.elapsed(rows) / np.maximum(np.asarray(half_life, np.float32), np.float32(1e-4)))

    def midway(self, rows: Rows) -> Array:
        """Where particles will be half a step from now if nothing pushes them: (k, 3). Pushes that vary in space are evaluated there."""
        places = self.read("position", rows)
        out = np.empty_like(places)
        half = np.atleast_1d(np.asarray(self.elapsed(rows) / np.float32(2), np.float32))
        motion.ahead(len(places), places, self.read("velocity", rows), half, out)
        return out

    @property
    def midtime(self) -> float:
        return self.time + self.dt / 2

    def effect_address(self, collection: str, index: int) -> str | None:
        """The address of an item of the effect, by its number; None where there is none of that number."""
        items = vars(self.scene.effect)[collection]
        return str(items[index].address) if 0 <= index < len(items) else None

    def find(self, level: str, item: str | None, text: str, key: Any = None) -> None:
        """Report something once per item and kind, with the frame at which it first happened."""
        self.findings.setdefault((text if key is None else key, item), Finding(level, item, self.frame, text, key if isinstance(key, str) else ""))
