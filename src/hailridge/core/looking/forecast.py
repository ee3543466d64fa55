"""How many there will be: a dry run of what multiplies, with the same engine and the same random numbers, but without motion.

Random numbers follow descent, so the dry run is exact as long as nothing decides but age, group, chance, descent and what particles carry. What reads
places, contacts, neighbours or fields is left out and said. Above `SAMPLE` particles a part stands for all, each with its weight.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from hailridge.core.kinds.actions.spawn import Spawn
from hailridge.core.looking.order import subject
from hailridge.core.step.simulation import Simulation
from hailridge.model.effect import Effect
from hailridge.model.kind import parts_of
from hailridge.model.parts import Action, Amount, Condition, Quantity
from hailridge.model.validation import read_effect

SAMPLE = 20_000
"""Up to so many everybody is counted; above, half of all leave and the others count for two."""

CARRIED = frozenset({"age", "life_fraction", "remaining", "time_in_group", "since_rule", "time", "generation", "family", "parent_number", "number",
    "birth_order", "own_random", "marked", "attribute", "population"})  # fmt: skip
"""Quantities that a particle carries, or that go by the clock: what a dry run can read."""

MOVING = frozenset({"position", "velocity", "speed", "spin"})
TESTS = frozenset({"compare", "between", "holds", "chance", "all", "any", "not"})
PLACED = frozenset({"noise", "field"})
"""Amounts that go by place."""

COUNTING = frozenset({"move", "move_back", "live_on", "switch", "remove", "spawn", "mark"})
"""Actions that decide how many there are, or in which group."""

CHANGING = frozenset({"set", "add", "multiply", "approach", "restore", "redraw"})
"""Actions that change what others may read."""

MOST_PARTICLES = 5_000_000
"""As large as a budget can be (`model.effect.Clock`)."""

WEIGHT = "forecast_weight"

MOST_WORK = 40_000_000
"""Steps of a particle after which a forecast ends, about two seconds: by count, so that the same document always gives the same forecast."""

STEP = 10_000
"""A step with nobody in it takes about as long as that of so many particles."""


@dataclass
class Forecast:
    """Expected numbers by frame: of all (f,), and of each group by its id. `sampled_from`: the frame from which on a part stood for all; `budget_at`:
    the frame at which the budget is reached, where the forecast ends; None where that does not come. `left_out`: what could not be followed, in
    words. `complete`: whether it came to the end in its time."""

    totals: list[float] = field(default_factory=list)
    groups: dict[str, list[float]] = field(default_factory=dict)
    sampled_from: int | None = None
    budget_at: int | None = None
    left_out: list[str] = field(default_factory=list)
    complete: bool = True


def multiplies(effect: Effect) -> bool:
    """Whether any rule at work gives birth."""
    rules = (rule for index, rule in enumerate(effect.rules) if rule.enabled and effect.works("rules", index))
    return any(isinstance(action, Spawn) for rule in rules for action in (*rule.actions, *rule.otherwise))


def forecast(effect: Effect, assets: Any, most: float = MOST_WORK) -> Forecast:
    """Follow the population of an effect, for at most so many steps of a particle; nothing where no rule gives birth."""
    told = Forecast()
    if not multiplies(effect):
        return told
    dry, told.left_out = dried(effect)
    if not multiplies(dry):
        # Without anything that multiplies it would only say how many the sources bring forth.
        return told
    simulation = Simulation(dry, assets, record=False)
    budget, done, thinned, before = effect.clock.particle_budget, 0, 0, 0.0
    told.groups = {group.id: [] for group in effect.groups}
    for frame in simulation.frames():
        moment = simulation.moment
        weights = moment.column(f"own {WEIGHT}").astype(np.float64)
        each = np.bincount(moment.column("group"), weights, minlength=len(effect.groups))
        total = float(each.sum())
        told.totals.append(min(total, budget))
        for group, number in zip(effect.groups, each, strict=False):
            told.groups[group.id].append(float(number) * min(1.0, budget / max(total, 1.0)))
        # Whoever is born in a frame has room beside those who leave in it.
        mean = total / frame.count if frame.count else 1.0
        if before + frame.births * mean > budget:
            told.budget_at = frame.number
            break
        before = total
        done += effect.clock.steps_per_frame * (frame.count + STEP)
        if done > most:
            told.complete = frame.number >= effect.clock.last_frame
            break
        while moment.count > SAMPLE:
            told.sampled_from = frame.number if told.sampled_from is None else told.sampled_from
            thinned += 1
            leaving = _half(moment.column("key"), thinned)
            moment.column(f"own {WEIGHT}")[~leaving] *= 2
            moment.particles.remove(leaving)
            moment.forget_rows()
    return told


def _half(keys: NDArray[np.uint64], turn: int) -> NDArray[np.bool_]:
    """About half of all, by their random keys: (n,)."""
    mixed = (keys ^ np.uint64(turn * 0x9E3779B9)) * np.uint64(0xBF58476D1CE4E5B9)
    return np.asarray((mixed >> np.uint64(40)) & np.uint64(1) == 1)


def dried(effect: Effect) -> tuple[Effect, list[str]]:
    """The effect with nothing in it but what decides how many there are, and what of that had to be left out, in words."""
    raw = effect.model_dump()
    at_work = [rule for index, rule in enumerate(effect.rules) if rule.enabled and effect.works("rules", index)]
    # What goes by a rule that is left out is left out with it.
    known, kept = {rule.id for rule in at_work}, dict[str, dict[str, list[int]]]()
    while True:
        kept, left_out = {}, list[str]()
        for rule in at_work:
            why = "contacts" if rule.trigger == "contact" else "" if rule.condition is None else _unread(rule.condition, known)
            if not why:
                kept[rule.id] = {branch: list(_followed(getattr(rule, branch), known)) for branch in ("actions", "otherwise")}
            counting = [action for action in (*rule.actions, *rule.otherwise) if _kind(action) in COUNTING]
            reason = why if counting else ""
            reason = reason or next((stray for action in counting if (stray := _strays(action, known))), "")
            if reason:
                left_out.append(f"{subject(effect, effect.rules.index(rule))}, which goes by {reason}")
        if set(kept) == known:
            break
        known = set(kept)
    rules = []
    for rule in raw["rules"]:
        if rule["id"] in kept:
            for branch, places in kept[rule["id"]].items():
                rule[branch] = [_still(rule[branch][place], known) for place in places]
            rules.append(rule)
    for source, given in zip(raw["sources"], effect.sources, strict=True):
        source["actions"] = [_still(source["actions"][place], known) for place in _followed(given.actions, known)]
    weight = {"id": WEIGHT, "label": WEIGHT, "type": "number", "initial": {"kind": "fixed", "value": 1.0}, "share": 100.0}
    # What is expected beyond the budget is not drawn, but it has to be known that it would come.
    raw["clock"]["particle_budget"] = MOST_PARTICLES
    raw |= {"rules": rules, "looks": [], "neighbourhoods": [], "attributes": [*raw["attributes"], weight]}
    return read_effect(raw), left_out


def _kind(part: Any) -> str:
    return str(getattr(part, "kind", ""))


def _followed(actions: list[Action], rules: set[str]) -> Iterator[int]:
    """Places of the actions that a dry run can follow."""
    for place, action in enumerate(actions):
        if _kind(action) in COUNTING | CHANGING and not _strays(action, rules) and getattr(action, "attribute", "") not in MOVING:
            yield place


def _strays(action: Action, rules: set[str]) -> str:
    """What an action goes by that a dry run does not have, in words; empty where there is nothing."""
    if isinstance(action, Spawn):
        if action.per == "metre":
            return "the way that particles go"
        if action.at is not None:
            return "neighbours"
        # How children fly off says nothing about their number.
        return next((why for name in ("count", "lifetime") if (why := _unread(getattr(action, name), rules))), "")
    if getattr(action, "where", None) is not None:
        return "a field"
    if _kind(action) == "switch" and getattr(action, "rule", "") not in rules:
        return "a rule that is left out"
    return _unread(action, rules)


def _unread(part: Any, rules: set[str]) -> str:
    """What a part reads that a dry run does not have, in words; empty where there is nothing."""
    for _path, inner in parts_of(part):
        kind = _kind(inner)
        if isinstance(inner, Condition) and kind not in TESTS:
            return f"'{inner.title}'"
        if isinstance(inner, Amount) and kind in PLACED:
            return "places"
        if isinstance(inner, Quantity):
            if kind not in CARRIED or getattr(inner, "attribute", "") in MOVING:
                return f"'{inner.title}'"
            if kind == "since_rule" and getattr(inner, "rule", "") not in rules:
                return "a rule that is left out"
    return ""


def _still(action: dict[str, Any], rules: set[str]) -> dict[str, Any]:
    """An action of the dry run: what it gives that goes by place is not asked for, nor what rules remember that are left out."""
    if action["kind"] in ("spawn", "mark"):
        for name in ("speed", "around", "radius"):
            action[name] = {"kind": "fixed", "value": 0.0}
        for name in ("color", "place"):
            action[name] = {"kind": "fixed", "value": [1.0, 1.0, 1.0]}
        action["hands"] = [hand for hand in action["hands"] if hand.get("rule") is None or hand["rule"] in rules]
    return action
