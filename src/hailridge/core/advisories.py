"""Advisories before a run: what in a document will probably not do what was meant, each with its item and where possible a fix."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import asdict, dataclass
from typing import Any

from hailridge.core.actions.change import Add, Multiply
from hailridge.core.actions.population import Remove, Spawn
from hailridge.core.amounts.spread import Spread
from hailridge.core.births.emissions import Burst, Rate
from hailridge.model.effect import Effect, Rule
from hailridge.model.kind import parts_of

Path = list[str | int]


@dataclass(frozen=True)
class Advisory:
    """`level` is error, warning or advice; `item` the path of what it is about; `fix` a change as {path, value, label}."""

    level: str
    item: Path
    text: str
    fix: dict[str, Any] | None = None

    def as_dict(self) -> dict[str, Any]:
        return asdict(self)


def advise(effect: Effect) -> list[Advisory]:
    """All advisories that the document alone gives."""
    return [*_nothing_to_see(effect), *_unused(effect), *_order(effect), *_amounts(effect), *_growth(effect)]


def _nothing_to_see(effect: Effect) -> Iterator[Advisory]:
    sources = [source for source in effect.sources if source.enabled]
    if not sources:
        yield Advisory("warning", ["sources"], "Nothing can be seen: no source gives birth to particles. Add a source.")
    for index, source in enumerate(effect.sources):
        if source.enabled and source.lifetime.extent()[1] <= 0:
            yield Advisory("warning", ["sources", index, "lifetime"], f"'{source.label}' gives birth to particles that live for no time at all.")
        emission = source.emission
        begins = emission.start if isinstance(emission, Rate) else emission.time if isinstance(emission, Burst) else 0.0
        if begins > effect.clock.duration:
            yield Advisory("advice", ["sources", index, "emission"], f"'{source.label}' begins only after the clock has ended.")


def _unused(effect: Effect) -> Iterator[Advisory]:
    named = {source.group for source in effect.sources} | {group.parent for group in effect.groups}
    for _path, part in parts_of(effect):
        named |= {value for name in ("group", "who") for value in _as_list(getattr(part, name, None))}
    for index, group in enumerate(effect.groups):
        if group.id not in named:
            fix = {"path": ["groups", index], "remove": True, "label": "Remove it"}
            yield Advisory("advice", ["groups", index], f"The group '{group.label}' is used nowhere.", fix)


def _order(effect: Effect) -> Iterator[Advisory]:
    """A rule below one that removes everybody it concerns is never reached."""
    removed_by: dict[str, str] = {}
    for index, rule in enumerate(effect.rules):
        if not rule.enabled:
            continue
        who = rule.who or [group.id for group in effect.groups]
        starved = [group for group in who if group in removed_by]
        if who and len(starved) == len(who) and rule.trigger in ("each", "once", "becomes", "stops"):
            yield Advisory("warning", ["rules", index], f"Rule {index + 1} is never reached: {removed_by[starved[0]]} removes everybody first.")
        if rule.condition is None and rule.trigger == "each" and any(isinstance(action, Remove) for action in rule.actions):
            removed_by |= dict.fromkeys(who, f"rule {index + 1}")
        if not rule.actions and not rule.otherwise:
            yield Advisory("advice", ["rules", index], f"Rule {index + 1} does nothing yet: choose what it should do.")


def _amounts(effect: Effect) -> Iterator[Advisory]:
    for index, source in enumerate(effect.sources):
        radius = source.radius
        if isinstance(radius, Spread) and not isinstance(radius.value, list) and radius.spread >= 0.9 * radius.value > 0:
            text = f"'{source.label}' makes some particles too small to be seen: the spread of their radius is {radius.spread / radius.value:.0%}."
            fix = {"path": ["sources", index, "radius", "spread"], "value": round(radius.value * 0.8, 6), "label": "Make it 80 %"}
            yield Advisory("advice", ["sources", index, "radius"], text, fix)
    for index, rule in enumerate(effect.rules):
        for place, action in enumerate(rule.actions):
            if rule.trigger == "each" and isinstance(action, Add | Multiply) and action.per == "occasion":
                text = f"Rule {index + 1} changes '{action.attribute}' by a whole amount at each step, so the result depends on the frame rate."
                fix = {"path": ["rules", index, "actions", place, "per"], "value": "second", "label": "Make it a second"}
                yield Advisory("advice", ["rules", index, "actions", place], text, fix)


def _growth(effect: Effect) -> Iterator[Advisory]:
    """A rule whose children meet the same rule again grows without end unless its condition ends it."""
    for index, rule in enumerate(effect.rules):
        for place, action in enumerate(rule.actions):
            if rule.enabled and isinstance(action, Spawn) and _feeds_itself(effect, rule, action) and rule.trigger in ("each", "birth"):
                growth = action.count.extent()[1] if action.parent == "removed" else action.count.extent()[1] + 1
                when = "at each step" if rule.trigger == "each" else "on birth"
                if rule.condition is None and growth > 1:
                    text = (
                        f"Rule {index + 1} multiplies without end: its children are split again {when}, {growth:g} for one. The particle budget "
                        f"of {effect.clock.particle_budget:,} will stop it."
                    )
                    yield Advisory("warning", ["rules", index, "actions", place], text)


def _feeds_itself(effect: Effect, rule: Rule, action: Spawn) -> bool:
    if not rule.who:
        return True
    parents = {group.id: group.parent for group in effect.groups}
    current: str | None = action.group
    while current is not None:
        if current in rule.who:
            return True
        current = parents.get(current)
    return False


def _as_list(value: Any) -> list[str]:
    if isinstance(value, list):
        return [entry for entry in value if isinstance(entry, str)]
    return [value] if isinstance(value, str) else []
