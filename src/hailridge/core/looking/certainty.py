"""What can be said of a condition before anything runs: that it never holds, that it always does, and why."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass
from itertools import combinations
from typing import Any, Literal

from hailridge.core.kinds.conditions.tests import Between, Chance, Compare
from hailridge.core.kinds.conditions.trees import All, Any_, Not
from hailridge.model.effect import Effect
from hailridge.model.kind import Part, references
from hailridge.model.parts import Condition

Verdict = Literal["never", "always", "depends"]

CLOCKED = ("age", "time", "time_in_group")
"""Quantities that cannot outgrow the clock."""


@dataclass(frozen=True)
class Finding:
    """A condition at `path` (below the one that was asked about) that never or always holds, with the reason in words."""

    path: tuple[str | int, ...]
    verdict: Verdict
    text: str


def judge(condition: Condition, effect: Effect) -> tuple[Verdict, list[Finding]]:
    """The verdict on a whole condition, and every part of it that never or always holds, innermost causes first."""
    found: list[Finding] = []
    return _judge(condition, effect, (), found), found


def _judge(condition: Condition, effect: Effect, path: tuple[str | int, ...], found: list[Finding]) -> Verdict:
    verdict: Verdict = "depends"
    text = ""
    if isinstance(condition, Compare | Between):
        verdict, text = _test(condition, effect)
    elif isinstance(condition, Chance):
        lowest, highest = condition.probability.extent()
        verdict = "never" if highest <= 0 else "always" if lowest >= 1 else "depends"
        text = f"its chance is {highest:g}"
    elif isinstance(condition, Not):
        inner = _judge(condition.condition, effect, (*path, "condition"), found)
        verdict = {"never": "always", "always": "never", "depends": "depends"}[inner]  # type: ignore[assignment]
    elif isinstance(condition, All | Any_):
        verdicts = [_judge(inner, effect, (*path, "conditions", index), found) for index, inner in enumerate(condition.conditions)]
        verdict, text = _joined(condition, verdicts, effect)
    if text and verdict != "depends":
        found.append(Finding(path, verdict, text))
    return verdict


def _joined(condition: All | Any_, verdicts: list[Verdict], effect: Effect) -> tuple[Verdict, str]:
    if not verdicts:
        return ("always" if isinstance(condition, All) else "never"), "it names no conditions"
    if isinstance(condition, Any_):
        return ("always" if "always" in verdicts else "never" if set(verdicts) == {"never"} else "depends"), ""
    if "never" in verdicts:
        return "never", ""
    clash = next(_clashes(condition, effect), None)
    if clash is not None:
        return "never", clash
    return ("always" if set(verdicts) == {"always"} else "depends"), ""


def said(part: Part) -> dict[str, Any]:
    """What a part says, whatever it is called in its list."""
    return part.model_dump(exclude={"id"})


def _clashes(condition: All, effect: Effect) -> Iterator[str]:
    """Pairs that cannot both hold, in words."""
    for first, second in combinations(condition.conditions, 2):
        for one, other in ((first, second), (second, first)):
            if isinstance(one, Not) and said(one.condition) == said(other):
                yield "it asks for something and for its contrary"
        if isinstance(first, Compare | Between) and isinstance(second, Compare | Between):
            if said(first.quantity) != said(second.quantity) or any(getattr(test, "margin", 0) for test in (first, second)):
                # What lets go further back may hold beyond its threshold.
                continue
            (low, high), (other_low, other_high) = allowed(first), allowed(second)
            # What runs on with time is met to the nearest step.
            step = 1 / (effect.clock.frames_per_second * effect.clock.steps_per_frame) if first.quantity.runs else 0.0
            highest_low, lowest_high = max(low, other_low), min(high, other_high)
            apart = highest_low >= lowest_high + step if step else highest_low > lowest_high
            # Where the two only meet, both have to take that value in.
            if apart or (not step and highest_low == lowest_high and (_open(first) or _open(second))):
                yield f"it asks for '{first.quantity.title}' {_range(low, high)} and {_range(other_low, other_high)} at once"


def _open(test: Compare | Between) -> bool:
    """Whether the bound of a test does not pass itself."""
    return isinstance(test, Compare) and test.comparison in ("above", "below")


def allowed(test: Compare | Between) -> tuple[float, float]:
    """The widest range of values that can pass, whatever the particle."""
    if isinstance(test, Between):
        return test.low.extent()[0], test.high.extent()[1]
    low, high = test.threshold.extent()
    if test.comparison in ("above", "at_least"):
        return low, math.inf
    return (-math.inf, high) if test.comparison in ("below", "at_most") else (low, high)


def _test(test: Compare | Between, effect: Effect) -> tuple[Verdict, str]:
    quantity: Any = test.quantity
    lowest = -math.inf if quantity.low is None else quantity.low
    highest = math.inf if quantity.high is None else quantity.high
    end = effect.clock.duration + effect.clock.pre_roll
    if quantity.kind in CLOCKED and highest == math.inf and not _writes_age(effect):
        highest = end
    low, high = allowed(test)
    title = quantity.title
    if isinstance(test, Between):
        if low > high:
            return "never", f"nothing is at least {low:g} and at most {high:g}"
        strict = False
    else:
        strict = test.comparison in ("above", "below") and not quantity.runs
    if low > highest or high < lowest or (strict and (low == highest or high == lowest)):
        if quantity.kind in CLOCKED and highest == end and low >= highest:
            return "never", f"'{title}' cannot pass {low:g} s: the clock ends at {effect.clock.duration:g} s"
        bound = f"never above {highest:g}" if low >= highest else f"never below {lowest:g}"
        return "never", f"'{title}' is {bound}"
    if isinstance(test, Compare):
        low_threshold, high_threshold = test.threshold.extent()
        sure = {
            "above": lowest > high_threshold, "at_least": lowest >= high_threshold, "below": highest < low_threshold,
            "at_most": highest <= low_threshold,
        }.get(test.comparison, False)  # fmt: skip
        if sure and quantity.kind not in CLOCKED:
            return "always", f"'{title}' is {'never below ' + format(lowest, 'g') if lowest >= high_threshold else f'never above {highest:g}'}"
    return "depends", ""


def _writes_age(effect: Effect) -> bool:
    actions = (action for rule in effect.rules for action in (*rule.actions, *rule.otherwise))
    return any(name == "age" for action in actions for path, name in references(action, "attribute") if len(path) == 1)


def _range(low: float, high: float) -> str:
    if low == -math.inf:
        return f"below {high:g}"
    if high == math.inf:
        return f"above {low:g}"
    return f"of {low:g}" if low == high else f"between {low:g} and {high:g}"
