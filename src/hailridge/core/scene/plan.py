"""A document made ready to compute: ids resolved to numbers, rules to the groups they concern, and the scene of any time."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from hailridge.core.scene.assets import Assets, PictureSheet
from hailridge.core.scene.bodies import Pose, Stage
from hailridge.core.scene.keyed import Keyed
from hailridge.core.scene.layout import columns_of, firsts_of, memory_of
from hailridge.core.scene.placed import PlacedShape
from hailridge.core.scene.ready import ReadyRule, Turns, make_ready
from hailridge.core.scene.shipped import shipped_pictures
from hailridge.core.scene.timeline import Timeline
from hailridge.core.scene.unbounded import Unbounded
from hailridge.core.space.transforms import Transform
from hailridge.core.state.randomness import item_number
from hailridge.model.attributes import Table, expected_of, table_of
from hailridge.model.dials import Dial
from hailridge.model.effect import Attribute, Effect
from hailridge.model.kind import Part, declared, holders, parts_of
from hailridge.model.neighbourhoods import Neighbourhood

SCENES_KEPT = 4
"""Times at which a plan keeps its scene: the two of a step, and those of who looks on."""

SEEN_WITH = ("position", "target", "field_of_view", "focus")
"""What of the picture's settings says where it is seen from."""


class Plan:
    """Everything about an effect apart from its particles and the time. Made once for a run; nothing of it changes afterwards, so that any number of
    threads may read it and ask for scenes of different times.

    `effect` is the document with every part numbered and told its address, and amounts without bounds held within those of their places.
    """

    def __init__(self, effect: Effect, assets: Assets) -> None:
        self.assets = assets
        self.table: Table = table_of(vars(attribute) for attribute in effect.attributes)
        """All attributes that can be named, built-in and own, by their ids."""
        self.effect = effect = numbered(effect, self.table)
        self.seed = effect.clock.seed
        self.timeline = Timeline(effect.clock)
        self.group_index = {group.id: index for index, group in enumerate(effect.groups)}
        self.parents = {group.id: group.parent for group in effect.groups}
        shapes: list[Any] = effect.shapes
        self.stage = Stage(shapes, assets)
        self.shape_index: dict[str, int] = {shape.id: index for index, shape in enumerate(shapes)}
        self.rules = self._ready(effect)
        self.turns = sum(1 if ready.other_bit is None else 2 for ready in self.rules)
        """How many bits it takes to record whom the rules held for."""
        self.firsts = firsts_of(effect, self.table)
        """Attributes whose first values are kept."""
        self.asked_around = asked_around(effect)
        """What is read of each neighbourhood, by its id."""
        self.along_the_way = any(action.along_the_way for rule in effect.rules for action in (*rule.actions, *rule.otherwise))
        self.keeping = [hood for index, hood in enumerate(effect.neighbourhoods) if hood.keeping and effect.works("neighbourhoods", index)]
        self.memory: Table = memory_of(effect, self.rules, self.table)
        """What rules and their parts remember of each particle."""
        self.columns = columns_of(effect, self.table, self.memory, self.turns)
        self._keyed = Keyed.of(effect, left_out=("clock", "picture"))
        self._view = Keyed.of(effect.picture)
        self.changing = bool(self._keyed or self.stage.changing)
        """Whether anything but the particles changes with time."""
        self.without_history = not self.changing and self._drifts_alone()
        self._pictures: dict[str, PictureSheet] = {}
        self.beginning = Scene(self, 0.0, self._keyed.at(effect, 0.0) if self._keyed else effect)
        self._recent: tuple[Scene, ...] = ()

    def at(self, time: float) -> Scene:
        """The scene at a time (seconds)."""
        if not self.changing:
            return self.beginning
        # A tuple is exchanged as a whole: whoever comes in between makes a scene that is the same.
        recent = self._recent
        for scene in recent:
            if scene.time == time:
                return scene
        made = Scene(self, time, self._keyed.at(self.effect, time) if self._keyed else self.effect)
        self._recent = (made, *recent[: SCENES_KEPT - 1])
        return made

    def view(self, time: float) -> dict[str, Any]:
        """The picture's camera at a time (seconds): position and target (m), angle of view (degrees), distance at which it is sharp (m)."""
        settings = self._view.at(self.effect.picture, time) if self._view else self.effect.picture
        return {name: getattr(settings, name) for name in SEEN_WITH}

    def keyed_values(self, time: float) -> dict[str, Any]:
        """What every keyframed number is at a time, by its address in the document."""
        return dict(self._keyed.values(self.effect, time)) | dict(self._view.values(self.effect.picture, time))

    def picture(self, asset: str) -> PictureSheet:
        """A picture set, one that ships or an imported one. Raises MissingAsset where there is none."""
        known = self._pictures.get(asset)
        if known is None:
            known = self._pictures[asset] = shipped_pictures().get(asset) or self.assets.picture(asset)
        return known

    def members_alone(self, groups: list[str]) -> NDArray[np.bool_]:
        """Which group numbers are meant by a list of group ids without the groups within them; an empty list means everyone."""
        return np.array([not groups or group in groups for group in self.group_index] or [not groups], np.bool_)

    def members(self, groups: list[str]) -> NDArray[np.bool_]:
        """Which group numbers are meant by a list of group ids, groups within them included; an empty list means everyone."""
        table = np.zeros(max(1, len(self.group_index)), np.bool_)
        if not groups:
            table[:] = True
            return table
        for group, index in self.group_index.items():
            ancestor: str | None = group
            while ancestor is not None:
                if ancestor in groups:
                    table[index] = True
                    break
                ancestor = self.parents[ancestor]
        return table

    def _ready(self, effect: Effect) -> tuple[ReadyRule, ...]:
        asked = {memory for _path, part in parts_of(effect) for memory in part.asks_of_rules()}
        ready: list[ReadyRule] = []
        bit = 0
        for index, rule in enumerate(effect.rules):
            if effect.works("rules", index):
                made = make_ready(effect, index, self.members(rule.who), bit, ("off", rule.id) in asked, ("acted", rule.id) in asked)
                ready.append(made)
                bit += 1 if made.other_bit is None else 2
        return tuple(ready)

    def _drifts_alone(self) -> bool:
        """Whether any frame can be made without those before: nothing acts but ambient drift, on everyone it concerns, from birth on."""
        effect = self.effect
        if not drifts(effect) or any(source.actions for source in effect.sources) or effect.clock.time_from == "curve":
            return False
        return all(
            ready.rule.trigger == "each" and ready.rule.condition is None and not ready.otherwise.all()
            and all(action.without_history for action in ready.rule.actions)
            for ready in self.rules
        )  # fmt: skip


class Scene:
    """A plan at one time (seconds): its document with keyframed values looked up, its rules with those parts, its shapes placed."""

    def __init__(self, plan: Plan, time: float, effect: Effect) -> None:
        self.plan, self.time, self.effect = plan, time, effect
        self.seed, self.table, self.group_index, self.shape_index = plan.seed, plan.table, plan.group_index, plan.shape_index
        own = effect is plan.effect
        self.turns = Turns.of(plan.rules if own else tuple(ready.as_in(effect) for ready in plan.rules))
        self.rules = self.turns.all
        self.attributes: Mapping[str, Attribute] = {attribute.id: attribute for attribute in effect.attributes}
        self.dials: Mapping[str, Dial] = {dial.id: dial for dial in effect.dials}
        fields: list[Any] = effect.fields
        self.fields: Mapping[str, Any] = {field.id: field for index, field in enumerate(fields) if effect.works("fields", index)}
        shapes: list[Any] = effect.shapes
        self.shapes: list[PlacedShape] = shapes
        self.poses = plan.stage.poses(self.shapes, time)
        self.members, self.members_alone = plan.members, plan.members_alone
        hoods = enumerate(effect.neighbourhoods)
        self.neighbourhoods: Mapping[str, Neighbourhood] = {hood.id: hood for index, hood in hoods if effect.works("neighbourhoods", index)}

    @cached_property
    def rules_named(self) -> Mapping[str, ReadyRule]:
        """Rules by their ids."""
        return {ready.rule.id: ready for ready in self.rules}

    def pose(self, shape: str) -> Pose:
        """A shape where it is now."""
        return self.poses[self.shape_index[shape]]

    def frame(self, shape: str) -> Transform:
        """Where a shape stands and how it is turned, now."""
        return self.pose(shape).transform

    def field_strength(self, field: str, points: NDArray[Any], time: float) -> NDArray[np.float32]:
        """A field at places (k, 3): (k,) float32, 0–1. One that is left out is 0 everywhere."""
        if field not in self.fields:
            return np.zeros(len(points), np.float32)
        return np.asarray(self.fields[field].strength(self, points, time), np.float32)

    def velocity_at(self, shape: str, points: NDArray[np.float64]) -> NDArray[np.float32]:
        """How fast places (n, 3) of a shape move at the beginning of the effect, when there is no step yet to tell: (n, 3) m/s."""
        ahead = 1e-3
        later = self.plan.at(self.time + ahead).frame(shape)
        return ((later.points(self.frame(shape).inverse().points(points)) - points) / ahead).astype(np.float32)


def numbered(effect: Effect, table: Table) -> Effect:
    """A copy of a document for a plan: every part with its address, the number that keeps its random draws apart, and limits where it has none."""

    def visit(part: Part, stream: tuple[str, ...], address: tuple[str, ...]) -> Part:
        # A seed of its own is part of what random numbers follow, so that it gives others.
        if seed := vars(part).get("seed", 0):
            stream = (*stream, f"#{seed}")
        values: dict[str, Any] = {}
        for name in holders(type(part)):
            held = vars(part)[name]
            if isinstance(held, Part):
                values[name] = visit(held, (*stream, name), (*address, name))
            elif isinstance(held, list):
                # Items go by their ids, so that nothing changes for one that is put elsewhere in its list.
                keys = [str(vars(entry).get("id") or index) for index, entry in enumerate(held)]
                values[name] = [
                    visit(entry, (*stream, name, key), (*address, name, key)) if isinstance(entry, Part) else entry
                    for key, entry in zip(keys, held, strict=True)
                ]  # fmt: skip
        for name, ui in declared(type(part)):
            amount = values.get(name) if ui.get("type") == "amount" else None
            if isinstance(amount, Unbounded):
                _expected, low, high, _unit = expected_of(ui, vars(part), table)
                values[name] = amount.within(low, high)
        return part.twin(values, item=item_number("/".join(stream)), address="/".join(address))

    made = visit(effect, (), ())
    assert isinstance(made, Effect)
    return made


def asked_around(effect: Effect) -> Mapping[str, frozenset[str]]:
    """What a document reads of each of its neighbourhoods, by their ids."""
    found: dict[str, set[str]] = {}
    for _path, part in parts_of(effect):
        for name, what in part.asks_around():
            found.setdefault(name, set()).add(what)
    return {name: frozenset(asked) for name, asked in found.items()}


def drifts(effect: Effect) -> bool:
    """Whether some action of the effect moves particles without history."""
    rules = (rule for index, rule in enumerate(effect.rules) if effect.works("rules", index))
    return any(action.without_history for rule in rules for action in rule.actions)
