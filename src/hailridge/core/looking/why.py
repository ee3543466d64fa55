"""Why a rule does or does not hold: for one particle, with its actual values; for all, with counts; and why there is nobody to look at."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from hailridge.core.kinds.conditions.tests import Between, Compare
from hailridge.core.kinds.conditions.trees import All
from hailridge.core.scene.moment import Moment
from hailridge.core.scene.ready import ReadyRule
from hailridge.core.state.events import Happening
from hailridge.core.state.particles import Rows, number_of
from hailridge.core.step.rules import concerned
from hailridge.model.effect import rule_numbers
from hailridge.model.kind import Path, parts_of, references
from hailridge.model.parts import Condition, Quantity


def parts_of_condition(condition: Condition, path: Path = ()) -> Iterator[tuple[Path, Condition]]:
    """A condition and all conditions within it, outermost first, with the path that finds each."""
    yield from ((place, part) for place, part in parts_of(condition, path) if isinstance(part, Condition))


def named(quantity: Quantity, moment: Moment) -> str:
    """What a quantity is called; an attribute or a field goes by its own name."""
    for _path, field in references(quantity, "field"):
        if field in moment.scene.fields:
            return str(moment.scene.fields[field].label)
    for _path, attribute in references(quantity, "attribute"):
        return moment.scene.table[attribute].label
    return quantity.title


# ── One particle ────────────────────────────────────────────────────────────────────────────────────────────────────────


def reasons(moment: Moment, row: int) -> list[dict[str, Any]]:
    """For each rule that runs: whether it concerns the particle, whether it holds, and every test with its actual value and threshold."""
    return [_reason(moment, ready, np.array([row])) for ready in moment.scene.rules]


def _reason(moment: Moment, ready: ReadyRule, rows: NDArray[np.intp]) -> dict[str, Any]:
    concerned = bool(ready.members[int(moment.column("group")[rows[0]])])
    switched_off = bool(ready.off and moment.column(ready.off)[rows[0]])
    tests: list[dict[str, Any]] = []
    holds = None
    if concerned:
        holds = True
        if ready.rule.condition is not None:
            tests = [_test(condition, moment, rows, path) for path, condition in parts_of_condition(ready.rule.condition)]
            holds = bool(tests[0]["holds"])
    # What is recorded of its turn may differ from how things are at the end of the step: it was asked on the way, or rules below it changed them.
    held = bool(moment.marked_turn(ready.bit)[rows[0]])
    return {"rule": ready.rule.id, "concerned": concerned, "switched_off": switched_off, "holds": holds, "held": held, "tests": tests}


def _test(condition: Condition, moment: Moment, rows: Rows, path: Path) -> dict[str, Any]:
    depth = sum(1 for key in path if key in ("conditions", "condition"))
    kind: str = condition.kind  # type: ignore[attr-defined]
    entry: dict[str, Any] = {"depth": depth, "kind": kind, "holds": bool(np.asarray(condition.holds(moment, rows))[0]), "title": condition.title}
    if isinstance(condition, Compare | Between):
        quantity = condition.quantity
        entry |= {"title": named(quantity, moment), "unit": quantity.unit, "value": _one(quantity.read(moment, rows))}
        if isinstance(condition, Compare):
            entry |= {"comparison": condition.comparison, "threshold": _one(condition.threshold.give(moment, rows))}
        else:
            entry |= {"comparison": "between", "low": _one(condition.low.give(moment, rows)), "high": _one(condition.high.give(moment, rows))}
    elif isinstance(fact := getattr(condition, "quantity", None), Quantity):
        entry["title"] = fact.title
    return entry


def _one(value: Any) -> float:
    return float(np.asarray(value, np.float64).reshape(-1)[0])


def last_firings(events: NDArray[Any], particle: int, frame: int) -> dict[int, dict[str, Any]]:
    """For each rule, by its number: when it last began to hold for a particle up to a frame, or acted on it, and whether it has ended since."""
    mine = events[(events["particle"] == particle) & (events["frame"] <= frame)]
    found: dict[int, dict[str, Any]] = {}
    for event in mine:
        rule = int(event["item"])
        if event["what"] == Happening.RULE:
            found[rule] = {"frame": int(event["frame"]), "ended": None}
        elif event["what"] == Happening.RULE_END and rule in found:
            found[rule]["ended"] = int(event["frame"])
    return found


# ── All particles ───────────────────────────────────────────────────────────────────────────────────────────────────────


def _looked_at(moment: Moment, ready: ReadyRule) -> Rows:
    """Whom a rule looks at, and those for whom it held in this step: it may itself have moved them out of its groups."""
    rows, turned = concerned(moment, ready), moment.marked_turn(ready.bit)
    return rows if isinstance(rows, slice) or not turned.any() else np.union1d(rows, np.flatnonzero(turned))


def branch_counts(moment: Moment, ready: ReadyRule) -> list[dict[str, Any]]:
    """For how many of the particles that a rule looks at each of its conditions holds, by itself, at this moment."""
    return [] if ready.rule.condition is None else counts_of(moment, ready.rule.condition, _looked_at(moment, ready))


def counts_of(moment: Moment, condition: Condition, rows: Rows) -> list[dict[str, Any]]:
    """For how many of some particles a condition and each one within it holds, by itself, at this moment."""
    out = []
    for path, part in parts_of_condition(condition):
        holds = np.broadcast_to(np.asarray(part.holds(moment, rows), np.bool_), (number_of(rows),))
        out.append({"path": list(path), "holds": int(np.count_nonzero(holds)), "of": len(holds)})
    return out


def explain(moment: Moment, ready: ReadyRule, events: NDArray[Any], so_far: bool = False) -> str:
    """In words: why a rule holds for nobody at this moment; empty where it holds for somebody. `so_far`: more events may follow."""
    rows = concerned(moment, ready)
    looked = len(moment.column("id")[rows])
    if looked == 0:
        return _nobody(moment, ready, events, so_far)
    condition = ready.rule.condition
    if condition is None or np.asarray(condition.holds(moment, rows), np.bool_).any():
        return ""
    failing = [part for _path, part in parts_of_condition(condition) if isinstance(part, Compare | Between)]
    lines = [line for part in failing if (line := _short_of(moment, part, rows, looked))]
    if lines:
        return f"Of {looked:,} it looks at, none passes: " + "; ".join(lines) + "."
    if isinstance(condition, All):
        return f"Each of its conditions holds for some of the {looked:,} it looks at, but never all for the same particle."
    return f"It holds for none of the {looked:,} that it looks at."


def _short_of(moment: Moment, test: Compare | Between, rows: Rows, looked: int) -> str:
    """What is missing, where a test holds for nobody."""
    if np.asarray(test.holds(moment, rows), np.bool_).any():
        return ""
    values = np.asarray(test.quantity.read(moment, rows), np.float64)
    values = values[np.isfinite(values) & (np.abs(values) < 1e20)]
    title, unit = named(test.quantity, moment), test.quantity.unit
    unit = {"count": "", "m/s2": " m/s²"}.get(unit, f" {unit}" if unit else "")
    if len(values) == 0:
        return f"'{title}' has no value for any of them yet"
    low, high = float(values.min()), float(values.max())
    spans = f"is {low:.4g}{unit} for all" if low == high else f"goes from {low:.4g} to {high:.4g}{unit}"
    if isinstance(test, Between):
        least = float(np.min(test.low.give(moment, rows)))
        most = float(np.max(test.high.give(moment, rows)))
        return f"'{title}' {spans}, but {least:.4g} to {most:.4g}{unit} is asked for"
    threshold = np.asarray(test.threshold.give(moment, rows), np.float64)
    words = {"above": "more than", "at_least": "at least", "below": "less than", "at_most": "at most", "equal": "exactly"}[test.comparison]
    nearest = float(threshold.min() if test.comparison in ("above", "at_least") else threshold.max())
    return f"'{title}' {spans}, but {words} {nearest:.4g}{unit} is asked for"


def _nobody(moment: Moment, ready: ReadyRule, events: NDArray[Any], so_far: bool) -> str:
    """Why none of a rule's groups has a member: not yet, or where they have gone."""
    scene, frame = moment.scene, moment.frame
    groups = np.flatnonzero(ready.members) if scene.effect.groups else np.array([], np.intp)
    if ready.off and np.isin(moment.column("group"), groups).any():
        which = _called(moment, groups, bool(ready.rule.who))
        return f"Nobody is left to look at: rule {rule_numbers(scene.effect)[ready.index]} is switched off for everybody in {which} at frame {frame}."
    return emptied(moment, ready.members, bool(ready.rule.who), events, so_far)


def _called(moment: Moment, groups: NDArray[np.intp], some: bool) -> str:
    return " or ".join(moment.scene.effect.groups[group].label for group in groups) if some else "the effect"


def emptied(moment: Moment, members: NDArray[np.bool_], some: bool, events: NDArray[Any], so_far: bool = False) -> str:
    """In words: why nobody is in these groups, marked in `members` (g,): not yet, never, or where they have gone. `some`: whether groups are named at
    all; `so_far`: whether the run goes on, so that nothing is known of what follows."""
    scene, frame = moment.scene, moment.frame
    groups = np.flatnonzero(members) if scene.effect.groups else np.array([], np.intp)
    which = _called(moment, groups, some)
    past = events[events["frame"] <= frame]
    entered = np.isin(past["present"], groups) & np.isin(past["what"], [Happening.BIRTH, Happening.MOVE])
    if not entered.any():
        later = events[(events["frame"] > frame) & np.isin(events["present"], groups) & np.isin(events["what"], [Happening.BIRTH, Happening.MOVE])]
        if len(later):
            return f"Nobody has come into {which} yet: the first does at frame {int(later['frame'][0])}."
        if so_far:
            return f"Nobody has come into {which} yet; the rest is still being computed."
        return f"Nobody ever comes into {which}: no birth and no move has brought a particle there."
    came = int(np.unique(past["particle"][entered]).size)
    labels = [group.label for group in scene.effect.groups]
    return f"Nobody is left in {which} to look at: " + _where_to(moment, past, groups, came, labels)


def _where_to(moment: Moment, past: NDArray[Any], groups: NDArray[np.intp], came: int, labels: Sequence[str]) -> str:
    left = past[np.isin(past["previous"], groups) & ~np.isin(past["present"], groups)]
    moved, died = left[left["what"] == Happening.MOVE], left[left["what"] == Happening.DEATH]
    pieces = []
    for target in np.unique(moved["present"]):
        for rule in np.unique(moved["item"][moved["present"] == target]):
            some = moved[(moved["present"] == target) & (moved["item"] == rule)]
            frames = _frames(some["frame"])
            label = moment.scene.effect.rules[int(rule)].label if 0 <= rule < len(moment.scene.effect.rules) else ""
            by = f" by rule {rule_numbers(moment.scene.effect)[int(rule)]}" + (f" '{label}'" if label else "") if rule >= 0 else ""
            amount = f"all {came:,}" if len(some) >= came and not len(died) else f"{len(some):,} of {came:,}"
            pieces.append(f"{amount} moved to {labels[int(target)]}{by} {frames}")
    if len(died):
        pieces.append(f"{'all' if len(died) >= came else ''} {len(died):,} left the effect {_frames(died['frame'])}".strip())
    return ", ".join(pieces) + "."


def _frames(frames: NDArray[Any]) -> str:
    first, last = int(frames.min()), int(frames.max())
    return f"at frame {first}" if first == last else f"between frames {first} and {last}"
