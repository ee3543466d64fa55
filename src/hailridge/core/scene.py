"""A document made ready to compute: ids resolved to numbers, shapes to geometry, rules to the groups they concern."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from hailridge.core.assets import Assets, MissingAsset
from hailridge.core.geometry import Geometry
from hailridge.core.randomness import item_number
from hailridge.model.attributes import BUILT_IN
from hailridge.model.effect import Attribute, Effect, Rule
from hailridge.model.kind import parts_of
from hailridge.model.parts import Action, Shape

ColumnSpec = tuple[str, int, float]


@dataclass
class ReadyRule:
    """A rule with its groups as a table and its memory named."""

    index: int
    rule: Rule
    members: NDArray[np.bool_]
    held: str
    fired: str
    actions: list[Action] = field(default_factory=list)
    otherwise: list[Action] = field(default_factory=list)
    contacts: list[Action] = field(default_factory=list)

    @property
    def only_solid(self) -> bool:
        """Whether all that the rule does belongs to the contact phase."""
        return bool(self.contacts) and not self.actions and not self.otherwise

    @property
    def everyone(self) -> bool:
        return bool(self.members.all())


class Scene:
    """Everything about an effect that does not change while it runs."""

    def __init__(self, effect: Effect, assets: Assets) -> None:
        self.effect = effect
        self.seed = effect.clock.seed
        self.missing: list[str] = []
        for path, part in parts_of(effect, keyed=True):
            part._item = item_number("/".join(map(str, path)))
        self.group_index = {group.id: index for index, group in enumerate(effect.groups)}
        self.shape_index: dict[str, int] = {shape.id: index for index, shape in enumerate(effect.shapes)}  # type: ignore[attr-defined]
        self.attributes: dict[str, Attribute] = {attribute.id: attribute for attribute in effect.attributes}
        self.geometries = [self._geometry(shape, assets) for shape in effect.shapes]
        self.rules = [self._ready(index, rule) for index, rule in enumerate(effect.rules) if rule.enabled]

    def _geometry(self, shape: Shape, assets: Assets) -> Geometry:
        try:
            geometry: Geometry = shape.geometry(assets)
            return geometry
        except MissingAsset:
            # The run goes on with a point in the mesh's place; the advisory says which file is missing.
            self.missing.append(shape.label)  # type: ignore[attr-defined]
            return Geometry(np.array([shape.position], np.float32), np.empty((0, 3), np.int32))  # type: ignore[attr-defined]

    def _ready(self, index: int, rule: Rule) -> ReadyRule:
        ready = ReadyRule(index, rule, self.members(rule.who), f"held {rule.id}", f"fired {rule.id}")
        for action in rule.actions:
            (ready.contacts if action.phase == "contact" else ready.actions).append(action)
        ready.otherwise = list(rule.otherwise)
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

    def geometry(self, shape: str) -> Geometry:
        return self.geometries[self.shape_index[shape]]

    @cached_property
    def columns(self) -> dict[str, ColumnSpec]:
        """State beyond the built-in attributes: own attributes, and what rules and actions remember of each particle."""
        extra: dict[str, ColumnSpec] = {f"own {name}": ("f4", 1, 0.0) for name in self.attributes}
        for ready in self.rules:
            extra[ready.held] = ("u1", 1, 0)
            if ready.rule.trigger == "once":
                extra[ready.fired] = ("u1", 1, 0)
            for action in (*ready.actions, *ready.otherwise):
                memory: Any = getattr(action, "memory", None)
                if memory is not None:
                    extra |= memory(self)
        return extra

    def width_of(self, attribute: str) -> int:
        info = BUILT_IN.get(attribute)
        return 3 if info is not None and info.value_type in ("vector", "color") else 1
