"""Reading a document: strict validation, then the checks that need the whole document, with every problem told in words."""

from __future__ import annotations

import json
import math
from collections import deque
from collections.abc import Callable, Iterator
from functools import cache
from typing import Any

from pydantic import ValidationError

from hailridge.model.attributes import BUILT_IN, WIDE, Table, expected_of, table_of
from hailridge.model.collections import COLLECTIONS
from hailridge.model.dialled import note, settled
from hailridge.model.effect import Effect, Rule
from hailridge.model.identifying import identified
from hailridge.model.kind import Part, Path, declared, listing, parts_of, references
from hailridge.model.migrations import migrate
from hailridge.model.parts import Amount
from hailridge.model.placing import misplaced
from hailridge.model.soundness import LONGEST_DOCUMENT, TOO_DEEP, TOO_LONG, unsound
from hailridge.model.wording import Problem, in_words, nearest, place_in_words, problem_at


class DocumentError(ValueError):
    """A document that cannot be used as it is; `problems` says why."""

    def __init__(self, problems: list[Problem]) -> None:
        self.problems = problems
        super().__init__("; ".join(str(problem) for problem in problems))


Raw = Callable[[], dict[str, Any]]
"""Gives the document as plain data."""

LEFT_OUT = ("rules", "fields", "looks", "neighbourhoods")
"""Collections whose items an effect can run without: what is wrong with one of them does not stop the others."""


def read_effect(given: str | bytes | dict[str, Any]) -> Effect:
    """Validate a document, migrating older formats.

    A rule, field or look that names what is not there, or whose values make no sense together, stays in the document and is left out of the
    run: `effect.problems` says which and why. Whatever else is wrong refuses the document.

    Raises
    ------
    DocumentError
        With every problem found, each naming its place in words. Nothing is repaired silently.
    """
    raw = _parsed(given)
    # Written by hand, parts in lists need no ids.
    raw, written = settled(identified(migrate(raw)))
    try:
        effect = Effect.model_validate(raw)
    except ValidationError as error:
        raise DocumentError(in_words(error, raw)) from None
    note(effect, written)
    problems = list(check(effect))
    if any((problem.path[0] not in LEFT_OUT and not problem.only_there) or problem.path[-1] == "id" for problem in problems):
        raise DocumentError(problems)
    problems += _relying_on_broken(effect, problems)
    effect.leave_out(problems)
    return effect


def _relying_on_broken(effect: Effect, problems: list[Problem]) -> list[Problem]:
    """Whatever reads a field or a neighbourhood that is left out, and what reads those again."""
    if not problems:
        return []
    raw = effect.model_dump()
    broken = {problem.path[:2] for problem in problems if not problem.only_there}
    sorts = {"fields": "field", "neighbourhoods": "neighbourhood"}
    labels = {(word, item["id"]): item["label"] for name, word in sorts.items() for item in raw[name]}
    found: list[Problem] = []
    while True:
        gone = {(sorts[str(path[0])], raw[path[0]][path[1]]["id"]) for path in broken if path[0] in sorts}
        more = []
        for collection in ("fields", "neighbourhoods", "rules"):
            for index, item in enumerate(getattr(effect, collection)):
                place = (collection, index)
                named = ((path, (word, name)) for word in sorts.values() for path, name in references(item, word))
                used = next(((path, name) for path, name in named if name in gone), None)
                if place not in broken and used is not None:
                    text = f"relies on the {used[1][0]} '{labels[used[1]]}', which is left out itself"
                    more.append(problem_at(raw, (*place, *used[0]), text))
        if not more:
            return found
        found += more
        broken |= {problem.path[:2] for problem in more}


def _parsed(given: str | bytes | dict[str, Any]) -> dict[str, Any]:
    if isinstance(given, dict):
        raw: Any = given
    else:
        if len(given) > LONGEST_DOCUMENT:
            raise DocumentError([Problem((), "The document", TOO_LONG)])
        try:
            raw = json.loads(given)
        except RecursionError:
            raise DocumentError([Problem((), "The document", TOO_DEEP)]) from None
        except ValueError as error:
            raise DocumentError([Problem((), "The document", f"is not JSON: {error}")]) from None
    if not isinstance(raw, dict):
        raise DocumentError([Problem((), "The document", "has to be one JSON object")])
    found = unsound(raw)
    if found is not None:
        path, text = found
        raise DocumentError([problem_at(raw, path, text) if path else Problem((), "The document", text)])
    return raw


# ── Checks over the whole document ──────────────────────────────────────────────────────────────────────────────────────


def check(effect: Effect) -> Iterator[Problem]:
    """Everything that one field alone cannot tell: ids that clash, references to nothing, amounts out of range, rules that make no sense."""
    # Only what is wrong is told in words, and needs the document for that.
    raw = cache(effect.model_dump)
    known = {collection.word: {item.id for item in collection.items(effect)} for collection in COLLECTIONS.values()}
    known["attribute"] |= set(BUILT_IN)
    for collection in COLLECTIONS:
        seen: set[str] = set()
        for index, item in enumerate(getattr(effect, collection)):
            if item.id in seen:
                yield problem_at(raw, (collection, index, "id"), f"the id '{item.id}' is used twice")
            seen.add(item.id)
    parts = parts_of(effect)
    for path, part in parts:
        if path and listing(type(part)):
            yield from _alike_in_lists(part, path, raw)
    for index, attribute in enumerate(effect.attributes):
        if attribute.id in BUILT_IN:
            yield problem_at(raw, ("attributes", index, "id"), f"'{attribute.id}' is an attribute that every particle already has")
    for item in (*effect.fields, *effect.neighbourhoods):
        # A formula knows what it names once it has been read: only then can circles be seen.
        for _path, part in parts_of(item):
            deque(part.faults(effect), maxlen=0)
    yield from _group_cycles(effect, raw)
    yield from _shape_cycles(effect, raw)
    yield from _circles(effect, raw, "fields", "a field cannot be combined with itself", "fields cannot be made of one another in a circle")
    text = "neighbourhoods cannot decide in a circle how far they look"
    yield from _circles(effect, raw, "neighbourhoods", "a neighbourhood cannot decide itself how far it looks", text)
    yield from _time_runs_on(effect, raw)
    for _path, part in parts:
        if type(part).find is not Part.find:
            part.find(effect)
    table = table_of(vars(attribute) for attribute in effect.attributes)
    for path, part in parts:
        cls = type(part)
        if cls.faults is not Part.faults or _references(cls) or _amounts(cls):
            yield from _check_part(part, path, effect, raw, known, table)
        if isinstance(part, Rule) and part.otherwise and part.trigger in ("once", "becomes", "stops"):
            text = "a rule that acts once or on a moment has no 'otherwise'; add a second rule for that"
            yield problem_at(raw, (*path, "otherwise"), text)
    for out_of_place, text in misplaced(effect):
        yield Problem(out_of_place, place_in_words(raw(), out_of_place), text, only_there=True)


def _alike_in_lists(part: Part, path: Path, raw: Raw) -> Iterator[Problem]:
    """Two parts of one list that have the same id; items of collections are looked at by themselves."""
    for name in listing(type(part)):
        seen: set[str] = set()
        for index, entry in enumerate(vars(part)[name]):
            if entry.id in seen:
                yield problem_at(raw, (*path, name, index, "id"), f"the id '{entry.id}' is used twice in this list")
            if entry.id is not None:
                seen.add(entry.id)


def _check_part(part: Part, path: Path, effect: Effect, raw: Raw, known: dict[str, set[str]], table: Table) -> list[Problem]:
    found: list[Problem] = []
    cls, held = type(part), part.__dict__
    if cls.faults is not Part.faults:
        found += [problem_at(raw, (*path, name), text) for name, text in part.faults(effect)]
    for name, to in _references(cls):
        value = held[name]
        for one in value if isinstance(value, list) else (value,):
            if one is not None and one not in known[to]:
                found.append(problem_at(raw, (*path, name), f"there is no {to} called '{one}'{nearest(one, known[to])}"))
    for name, ui in _amounts(cls):
        if isinstance(held[name], Amount):
            wrong = _amount_fault(part, held[name], ui, table)
            if wrong:
                found.append(problem_at(raw, (*path, name), wrong))
    return found


@cache
def _references(cls: type[Part]) -> tuple[tuple[str, str], ...]:
    """The fields that name something in the document, and what. Meshes are no part of it; a missing one is told when the effect runs."""
    words = {"attribute", *(collection.word for collection in COLLECTIONS.values())}
    return tuple((name, ui["to"]) for name, ui in declared(cls) if ui.get("type") in ("reference", "references") and ui["to"] in words)


@cache
def _amounts(cls: type[Part]) -> tuple[tuple[str, dict[str, Any]], ...]:
    """The fields that hold amounts, with what is declared of them."""
    return tuple((name, ui) for name, ui in declared(cls) if ui.get("type") == "amount")


def _amount_fault(part: Part, value: Amount, ui: dict[str, Any], table: Table) -> str:
    """What is wrong with an amount in its place; empty where nothing is."""
    expected, low, high, unit = expected_of(ui, part.__dict__, table)
    wanted = 3 if expected in WIDE else 1
    # One that cannot be read has no width, but a fault of its own.
    if value.width(table) not in (wanted, 0):
        return f"has to be {'three numbers' if wanted == 3 else 'a single number'}"
    if low is None and high is None:
        return ""
    lowest, highest = value.extent(table)
    # What is without bounds cannot be told beforehand: it is held within the limits when it is given.
    wrong = []
    if low is not None and -math.inf < lowest < low - 1e-9:
        wrong.append(f"may become {lowest:g} {unit}".rstrip() + f", but cannot be below {low:g}")
    if high is not None and math.inf > highest > high + 1e-9:
        wrong.append(f"may become {highest:g} {unit}".rstrip() + f", but cannot be above {high:g}")
    return "; ".join(wrong)


def _group_cycles(effect: Effect, raw: Raw) -> Iterator[Problem]:
    parents = {group.id: group.parent for group in effect.groups}
    for index, group in enumerate(effect.groups):
        seen, current = {group.id}, group.parent
        while current is not None and current in parents:
            if current in seen:
                yield problem_at(raw, ("groups", index, "parent"), "groups cannot be within one another in a circle")
                break
            seen.add(current)
            current = parents[current]


def _shape_cycles(effect: Effect, raw: Raw) -> Iterator[Problem]:
    """Shapes cannot carry one another in a circle, nor be made of one another."""
    shapes: dict[str, Any] = {shape.id: shape for shape in effect.shapes}  # type: ignore[attr-defined]
    for names, text in ((("parent", "path"), "shapes cannot carry one another in a circle"), (("members",), "a compound cannot be made of itself")):
        for index, shape in enumerate(effect.shapes):
            if _reaches(shapes, shape.id, shape.id, names):  # type: ignore[attr-defined]
                yield problem_at(raw, ("shapes", index, names[0]), text)
                break
    for index, shape in enumerate(effect.shapes):
        path = getattr(shape, "path", None)
        if path in shapes and getattr(shapes[path], "kind", "") != "path":
            yield problem_at(raw, ("shapes", index, "path"), f"'{shapes[path].label}' is no path to move along")


def _circles(effect: Effect, raw: Raw, collection: str, itself: str, others: str) -> Iterator[Problem]:
    """Items that are made of themselves, directly or by way of others of their collection; the words for each."""
    items, word = COLLECTIONS[collection].items(effect), COLLECTIONS[collection].word
    used = {item.id: {name for _path, name in references(item, word)} for item in items}
    for index, (name, direct) in enumerate(used.items()):
        part = next((path for path, one in references(items[index], word) if one == name), None)
        if part is not None:
            yield problem_at(raw, (collection, index, *part), itself)
            continue
        seen, waiting = set(), list(direct)
        while waiting:
            current = waiting.pop()
            if current == name:
                first = next(path for path, _one in references(items[index], word))
                yield problem_at(raw, (collection, index, *first), others)
                break
            if current not in seen:
                seen.add(current)
                waiting += used.get(current, ())


def _reaches(shapes: dict[str, Any], start: str, goal: str, names: tuple[str, ...]) -> bool:
    seen: set[str] = set()
    waiting = [start]
    while waiting:
        current = shapes.get(waiting.pop())
        for name in names if current is not None else ():
            linked = getattr(current, name, None)
            for other in linked if isinstance(linked, list) else [linked]:
                if other == goal:
                    return True
                if other is not None and other not in seen:
                    seen.add(other)
                    waiting.append(other)
    return False


def _time_runs_on(effect: Effect, raw: Raw) -> Iterator[Problem]:
    """A simulation cannot run backward: its time may pause, but not go back."""
    curve = effect.clock.tracks.get("effect_time")
    if curve is None:
        return
    for before, after in zip(curve.keys, curve.keys[1:], strict=False):
        swings = isinstance(before.ease, list) and not (0 <= before.ease[1] <= 1 and 0 <= before.ease[3] <= 1)
        if after.value < before.value or (swings and after.value != before.value):  # type: ignore[operator]
            text = f"time cannot run backward, but does between {before.at:g} s and {after.at:g} s of the clock"
            yield problem_at(raw, ("clock", "effect_time"), text)


# ── Saying where, in words ──────────────────────────────────────────────────────────────────────────────────────────────
