"""A document made ready to compute: ids resolved to numbers, shapes to geometry, rules to the groups they concern."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cache, cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from hailridge.core.amounts.unbounded import Unbounded
from hailridge.core.assets import Assets, PictureSheet
from hailridge.core.bodies import Bodies, Pose
from hailridge.core.curves import ReadyCurve
from hailridge.core.particles import FOREVER_AGO, OPTIONAL_COLUMNS, ColumnSpec
from hailridge.core.randomness import item_number
from hailridge.core.shipped import shipped_pictures
from hailridge.core.timeline import Timeline
from hailridge.core.transforms import Transform
from hailridge.model.attributes import AttributeInfo, expected_of, table_of
from hailridge.model.effect import Attribute, Clock, Effect, Rule, Source
from hailridge.model.kind import Part, declared, parts_of
from hailridge.model.parts import Action, Shape


@dataclass
class Deeds:
    """The actions of a branch of a rule, by the part of the step in which each is asked."""

    push: list[Action] = field(default_factory=list)
    contact: list[Action] = field(default_factory=list)
    change: list[Action] = field(default_factory=list)

    def all(self) -> list[Action]:
        return [*self.push, *self.contact, *self.change]


@dataclass
class ReadyRule:
    """A rule with its groups as a table, its actions by their part of the step, and its memory named."""

    index: int
    rule: Rule
    members: NDArray[np.bool_]
    held: str
    fired: str
    bit: int
    """Where it stands among the bits that record whom rules held for (`Moment.mark_turn`)."""
    other_bit: int | None = None
    """The bit of those for whom it did not hold, where it does something about them."""
    does: Deeds = field(default_factory=Deeds)
    otherwise: Deeds = field(default_factory=Deeds)
    off: str = ""
    """The column that says for whom it is switched off; empty where nothing ever switches it."""
    acted: str = ""
    """The column that keeps when it last acted; empty where nobody asks."""

    @cached_property
    def remembers(self) -> bool:
        """Whether it has to know for whom it held before: one that always holds and acts at each step does not."""
        return self.rule.condition is not None or self.rule.trigger in ("once", "becomes", "stops")

    @cached_property
    def on_the_way(self) -> bool:
        """Whether it does anything to the motion of a step, so that it is asked before it."""
        return bool(self.does.push or self.does.contact or self.otherwise.push or self.otherwise.contact)

    @cached_property
    def at_the_end(self) -> bool:
        """Whether it takes its turn after motion: then it is counted there. One that only acts on the way is counted before."""
        return bool(self.does.change or self.otherwise.change) or not self.on_the_way

    @cached_property
    def gives_birth(self) -> bool:
        return any(getattr(action, "gives_birth", False) for action in (*self.does.change, *self.otherwise.change))

    @cached_property
    def everyone(self) -> bool:
        return bool(self.members.all())


class Scene:
    """Everything about an effect apart from its particles. `look_at` and `step_to` bring keyframes and shapes to a time.

    It works on a copy of the document, which is never written to: keyframes are put into the copy's fields, so that whoever reads a field reads its
    present value. A scene therefore belongs to one run, or to one reader at a time; several of one document know nothing of each other.
    """

    def __init__(self, effect: Effect, assets: Assets) -> None:
        self.effect = effect = effect.for_scene()
        self.assets = assets
        self.attributes: dict[str, Attribute] = {attribute.id: attribute for attribute in effect.attributes}
        self.table = table_of(vars(attribute) for attribute in effect.attributes)
        """All attributes, built-in and own, by their ids."""
        self.traces: dict[str, Any] = {}
        """What looks remember of earlier frames, by the look's id."""
        self._pictures: dict[str, PictureSheet] = {}
        self.seed = effect.clock.seed
        self.timeline = Timeline(effect.clock)
        self.tracks: list[tuple[Part, str, ReadyCurve]] = []
        self.shape_tracks: list[tuple[Part, str, ReadyCurve]] = []
        self.view_tracks: list[tuple[Part, str, ReadyCurve]] = []
        """Keyframes of the picture's camera, which no particle knows of."""
        for path, part in parts_of(effect, keyed=True):
            part.number_as(item_number("/".join(map(str, path))))
            for name, ui in declared(type(part)):
                held = getattr(part, name) if ui.get("type") == "amount" else None
                if isinstance(held, Unbounded):
                    _expected, low, high, _unit = expected_of(ui, vars(part), self.table)
                    held.hold_within(low, high)
            tracks = self.shape_tracks if isinstance(part, Shape) else self.tracks
            if path[:1] == ("picture",):
                tracks = self.view_tracks
            if not isinstance(part, Clock):
                tracks += [(part, name, ReadyCurve(curve)) for name, curve in part.tracks.items()]
        self.group_index = {group.id: index for index, group in enumerate(effect.groups)}
        self.shape_index: dict[str, int] = {shape.id: index for index, shape in enumerate(effect.shapes)}  # type: ignore[attr-defined]
        self.fields: dict[str, Any] = {
            field.id: field for index, field in enumerate(effect.fields) if effect.works("fields", index)  # type: ignore[attr-defined]
        }
        self.dials = {dial.id: dial for dial in effect.dials}
        _set(self.shape_tracks, 0.0)
        self.bodies = Bodies(effect, assets)
        self.missing = [body.shape.label for body in self.bodies.list if body.missing]
        self._switched = {part.rule for _path, part in parts_of(effect) if getattr(part, "kind", "") == "switch"}  # type: ignore[attr-defined]
        self._watched = {part.rule for _path, part in parts_of(effect) if getattr(part, "kind", "") == "since_rule"}  # type: ignore[attr-defined]
        self.turns = 0
        """How many bits it takes to record whom the rules held for."""
        self.rules = [self._ready(index, rule) for index, rule in enumerate(effect.rules) if effect.works("rules", index)]
        self.rules_named = {ready.rule.id: ready for ready in self.rules}
        self.at_end = False
        self._time: float | None = None
        self.look_at(0.0)

    @property
    def changing(self) -> bool:
        """Whether anything but the particles changes with time."""
        return bool(self.tracks or self.shape_tracks or self.bodies.changing)

    @cached_property
    def without_history(self) -> bool:
        """Whether any frame can be made without those before: nothing acts but ambient drift, on everyone it concerns, from birth on."""
        if self.changing or not drifts(self.effect):
            return False
        if any(source.actions for source in self.effect.sources) or self.effect.clock.time_from == "curve":
            return False
        for ready in self.rules:
            plain = ready.rule.trigger == "each" and ready.rule.condition is None and not ready.otherwise.all()
            if not plain or not all(getattr(action, "without_history", False) for action in ready.rule.actions):
                return False
        return True

    def look_at(self, time: float) -> None:
        """Everything as it is at one time (seconds)."""
        if time != self._time and self.changing:
            _set(self.tracks, time)
            self._move_shapes(time)
            self.bodies.settle()
        if time != self._time:
            _set(self.view_tracks, time)
        self._time = time
        self.at_end = False

    def view(self, time: float) -> dict[str, Any]:
        """The picture's camera at a time (seconds): position and target (m), angle of view (degrees), distance at which it is sharp (m)."""
        _set(self.view_tracks, time)
        settings = self.effect.picture
        seen = {name: getattr(settings, name) for name in ("position", "target", "field_of_view", "focus")}
        if self._time is not None:
            _set(self.view_tracks, self._time)
        return seen

    def step_to(self, start: float, end: float) -> None:
        """Make a step ready: numbers as at its start, shapes with both of their poses."""
        self.look_at(start)
        if self.changing:
            self._move_shapes(end)

    def reach_end(self, end: float) -> None:
        """From here on numbers and shapes are read as at the end of the step."""
        if self.changing:
            _set(self.tracks, end)
        self.at_end = True

    def finish_step(self, end: float) -> None:
        """Where shapes are at the end of a step is where they start the next."""
        if self.changing:
            self.bodies.settle()
            self._time = end

    def _move_shapes(self, time: float) -> None:
        _set(self.shape_tracks, time)
        self.bodies.move_to(time)

    def keyed_values(self) -> dict[str, Any]:
        """What every keyframed number is now, by its path in the document."""
        return {
            "/".join(map(str, (*path, name))): getattr(part, name)
            for path, part in parts_of(self.effect)
            for name in part.tracks
            if not isinstance(part, Clock)
        }

    def pose(self, shape: str) -> Pose:
        """A shape where it is now: at the start of the step for births and pushes, at its end for contact and changes."""
        body = self.bodies.by_id[shape]
        return body.end if self.at_end else body.start

    def field_strength(self, field: str, points: NDArray[Any], time: float) -> NDArray[np.float32]:
        """A field at places (k, 3): (k,) float32, 0–1. One that is left out is 0 everywhere."""
        if field not in self.fields:
            return np.zeros(len(points), np.float32)
        return np.asarray(self.fields[field].strength(self, points, time), np.float32)

    def velocity_at(self, shape: str, points: NDArray[np.float64]) -> NDArray[np.float32]:
        """How fast places (n, 3) of a shape move at the beginning of the effect, when there is no step yet to tell: (n, 3) m/s."""
        present = self.bodies.by_id[shape].end.transform
        time, ahead = self._time or 0.0, 1e-3
        self._move_shapes(time + ahead)
        later = self.bodies.by_id[shape].end.transform
        self._move_shapes(time)
        return ((later.points(present.inverse().points(points)) - points) / ahead).astype(np.float32)

    def picture(self, asset: str) -> PictureSheet:
        """A picture set, one that ships or an imported one. Raises MissingAsset where there is none."""
        known = self._pictures.get(asset)
        if known is None:
            known = self._pictures[asset] = shipped_pictures().get(asset) or self.assets.picture(asset)
        return known

    def frame(self, shape: str) -> Transform:
        """Where a shape stands and how it is turned, now."""
        return self.pose(shape).transform

    def _ready(self, index: int, rule: Rule) -> ReadyRule:
        ready = ReadyRule(index, rule, self.members(rule.who), f"held {rule.id}", f"fired {rule.id}", self.turns)
        for branch, deeds in (("actions", ready.does), ("otherwise", ready.otherwise)):
            for place, action in enumerate(getattr(rule, branch)):
                if self.effect.acts("rules", index, branch, place):
                    getattr(deeds, action.phase).append(action)
        self.turns += 1
        if ready.otherwise.all():
            ready.other_bit = self.turns
            self.turns += 1
        if rule.waits or rule.id in self._switched:
            ready.off = f"off {rule.id}"
        if rule.id in self._watched:
            ready.acted = f"acted {rule.id}"
        return ready

    def members(self, groups: list[str]) -> NDArray[np.bool_]:
        """Which group numbers are meant by a list of group ids, groups within them included; an empty list means everyone."""
        table = np.zeros(max(1, len(self.group_index)), np.bool_)
        if not groups:
            table[:] = True
            return table
        for group in self.effect.groups:
            ancestor: str | None = group.id
            while ancestor is not None:
                if ancestor in groups:
                    table[self.group_index[group.id]] = True
                    break
                ancestor = self._parents[ancestor]
        return table

    @cached_property
    def _parents(self) -> dict[str, str | None]:
        return {group.id: group.parent for group in self.effect.groups}

    @cached_property
    def columns(self) -> dict[str, ColumnSpec]:
        """State beyond the built-in attributes: own attributes, and what rules and actions remember of each particle."""
        extra: dict[str, ColumnSpec] = {info.column: (*info.kept, _nothing(info)) for info in self.table.values() if info.own}
        for ready in self.rules:
            if ready.remembers:
                extra[ready.held] = ("u1", 1, 0)
            if ready.rule.trigger == "once":
                extra[ready.fired] = ("u1", 1, 0)
            if ready.off:
                extra[ready.off] = ("u1", 1, int(ready.rule.waits))
            if ready.acted:
                extra[ready.acted] = ("f4", 1, float(FOREVER_AGO))
            for action in (*ready.does.all(), *ready.otherwise.all()):
                memory: Any = getattr(action, "memory", None)
                if memory is not None:
                    extra |= memory(self)
        extra |= {f"first {attribute}": ("f4", self.table[attribute].width, float("nan")) for attribute in self.firsts}
        for bit in range(0, self.turns, 8):
            extra[turn_column(bit)] = ("u1", 1, 0)
        for name in sorted(self.needs & set(OPTIONAL_COLUMNS)):
            extra[name] = OPTIONAL_COLUMNS[name]
        if SUBSTEPS in self.needs:
            extra[SUBSTEPS] = ("f4", 3 * substeps_of(self.effect), 0.0)
        return extra

    @cached_property
    def firsts(self) -> list[str]:
        """Attributes whose first values are kept, since something takes particles back to them. Looks only look: they keep nothing."""
        parts = (part for path, part in parts_of(self.effect) if path[:1] != ("looks",) and getattr(part, "first_value", False))
        return sorted({part.attribute for part in parts if part.attribute in self.table})  # type: ignore[attr-defined]

    @cached_property
    def needs(self) -> set[str]:
        """Columns that only some effects have, kept where something reads or writes them."""
        found: set[str] = {SUBSTEPS} if substeps_of(self.effect) else set()
        for path, part in parts_of(self.effect):
            if path[:1] == ("looks",):
                # Looks only look: what they read and nobody ever writes has its value at birth.
                continue
            found |= set(getattr(part, "needs", ()))
            if isinstance(part, Source) and (part.orientation.kind != "upright" or part.spin.extent() != (0.0, 0.0)):  # type: ignore[attr-defined]
                found |= {"orientation", "spin"}
            named = getattr(part, "attribute", None)
            if named in ("orientation", "spin"):
                found |= {"orientation", "spin"}
            if named == "picture":
                found.add("picture")
        return found


def _nothing(info: AttributeInfo) -> float | tuple[float, ...]:
    """What a column of one's own holds before its first value is given."""
    return (0.0, 0.0, 0.0, 1.0) if info.value_type == "orientation" else 0.0


@cache
def turn_column(bit: int) -> str:
    """The column that holds one of the bits of `ReadyRule`: eight of them to a column."""
    return f"turns {bit >> 3}"


@cache
def turn_mask(bit: int) -> np.uint8:
    """What that bit is worth within its column."""
    return np.uint8(1 << (bit & 7))


SUBSTEPS = "substeps"
"""The column that keeps where a particle was at the steps within a frame, for trails."""

MOST_SUBSTEPS = 15


def substeps_of(effect: Effect) -> int:
    """How many places between whole frames are recorded of each particle: those of the steps, where a look draws trails through them."""
    steps = min(effect.clock.steps_per_frame - 1, MOST_SUBSTEPS)
    traced = any(getattr(look, "through_steps", False) and effect.works("looks", index) for index, look in enumerate(effect.looks))
    return steps if traced else 0


def recorded_for_looks(effect: Effect) -> list[Any]:
    """What is recorded of particles only because a look asks for it: part of what decides a run's bytes."""
    watched = sorted({part.rule for _path, part in parts_of(effect) if getattr(part, "kind", "") == "since_rule"})  # type: ignore[attr-defined]
    return [substeps_of(effect), watched]


def drifts(effect: Effect) -> bool:
    """Whether some action of the effect moves particles without history."""
    rules = (rule for index, rule in enumerate(effect.rules) if effect.works("rules", index))
    return any(getattr(action, "without_history", False) for rule in rules for action in rule.actions)


def _set(tracks: list[tuple[Part, str, ReadyCurve]], time: float) -> None:
    """Put the values of keyframes at a time into the fields that they stand for."""
    for part, name, curve in tracks:
        part.hold_value(name, curve.at_time(time))
