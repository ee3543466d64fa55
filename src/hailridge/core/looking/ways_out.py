"""Ways out of growth without end: each a change to the document that a button makes."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from hailridge.core.kinds.actions.spawn import Spawn
from hailridge.core.kinds.amounts.fixed import Fixed
from hailridge.core.kinds.amounts.spread import Spread
from hailridge.core.kinds.births.emissions import Burst, Rate
from hailridge.core.kinds.conditions.tests import Chance, Compare
from hailridge.core.looking.forecast import MOST_PARTICLES
from hailridge.model.effect import Effect, Rule, Source
from hailridge.model.kind import parts_of

Fix = dict[str, Any]
"""A change: `path`, `value`, and the `label` of its button."""

CLOCKED = ("age", "time_in_group")


def ways_out(effect: Effect, address: str) -> list[Fix]:
    """Fewer children, a longer interval, a larger budget: for the rule or source at an address (`rules/…`), as far as each can be said."""
    for index, rule in enumerate(effect.rules):
        if rule.address == address:
            return [*_fewer(index, rule), *_later(index, rule), *_larger(effect)]
    for index, source in enumerate(effect.sources):
        if source.address == address:
            return [*_slower(index, source), *_larger(effect)]
    return list(_larger(effect))


def _births(rule: Rule) -> Iterator[tuple[str, int, Spawn]]:
    """The actions of a rule that give birth, with the list and the place in it where each stands."""
    for branch in ("actions", "otherwise"):
        yield from ((branch, place, action) for place, action in enumerate(getattr(rule, branch)) if isinstance(action, Spawn))


def _fewer(index: int, rule: Rule) -> Iterator[Fix]:
    for branch, place, action in _births(rule):
        count = action.count
        if not isinstance(count, Fixed | Spread) or not isinstance(count.value, int | float):
            continue
        # Half of what comes on top of the one that was there; of a number that is not whole, the rest is a chance.
        one = 1.0 if action.per == "occasion" and action.parent == "removed" else 0.0
        if count.value > one:
            value = round(one + (count.value - one) / 2, 3)
            label = f"{value:g} children instead of {count.value:g}"
            yield {"path": ["rules", index, branch, place, "count", "value"], "value": value, "label": label}
            return


def _later(index: int, rule: Rule) -> Iterator[Fix]:
    path: list[str | int] = ["rules", index, "condition"]
    for inner, part in parts_of(rule.condition) if rule.condition is not None else []:
        if isinstance(part, Compare) and getattr(part.quantity, "kind", "") in CLOCKED and isinstance(part.threshold, Fixed | Spread):
            value = part.threshold.value
            if part.comparison in ("above", "at_least") and isinstance(value, int | float) and value > 0:
                label = f"After {2 * value:g} s instead of {value:g} s"
                yield {"path": [*path, *inner, "threshold", "value"], "value": round(2 * value, 4), "label": label}
                return
        if isinstance(part, Chance) and isinstance(part.probability, Fixed) and isinstance(part.probability.value, int | float):
            value = part.probability.value
            if value > 0:
                label = f"A chance of {50 * value:g} % instead of {100 * value:g} %"
                yield {"path": [*path, *inner, "probability", "value"], "value": value / 2, "label": label}
                return
    if rule.trigger != "each":
        return
    for branch, place, action in _births(rule):
        if action.per == "occasion":
            # At each step, as often as there are frames: a stream instead.
            yield {"path": ["rules", index, branch, place, "per"], "value": "second", "label": "So many a second instead of each time"}
            return


def _slower(index: int, source: Source) -> Iterator[Fix]:
    emission: Any = source.emission
    path = ["sources", index, "emission"]
    if isinstance(emission, Rate) and emission.rate > 0:
        half = emission.rate / 2
        yield {"path": [*path, "rate"], "value": half, "label": f"{half:g} a second instead of {emission.rate:g}"}
    if isinstance(emission, Burst) and emission.count > 1:
        yield {"path": [*path, "count"], "value": emission.count // 2, "label": f"{emission.count // 2:,} instead of {emission.count:,}"}


def _larger(effect: Effect) -> Iterator[Fix]:
    value = min(2 * effect.clock.particle_budget, MOST_PARTICLES)
    if value > effect.clock.particle_budget:
        yield {"path": ["clock", "particle_budget"], "value": value, "label": f"A budget of {value:,}"}
