"""What is different between two documents, in words: what was added, taken out, moved and changed."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cache
from typing import Any, Literal

from hailridge.model.catalogue import catalogue
from hailridge.model.collections import COLLECTIONS
from hailridge.model.fields import ui_of
from hailridge.model.units import UNITS
from hailridge.model.wording import fixed_part, place_in_words

MOST_CHANGES = 200

Sort = Literal["added", "removed", "moved", "changed"]


@dataclass(frozen=True)
class Change:
    """One difference. `text` says it whole, such as "rule 2 'Fall', condition, threshold: 1 s → 2 s"."""

    sort: Sort
    text: str


def changes(before: dict[str, Any], after: dict[str, Any]) -> list[Change]:
    """What has to be done to `before` for it to be `after`, both whole documents in the present format (every field spelled out)."""
    found: list[Change] = []
    for change in _found(before, after):
        found.append(change)
        if len(found) == MOST_CHANGES:
            break
    order = {"added": 0, "removed": 1, "moved": 2, "changed": 3}
    return sorted(found, key=lambda change: order[change.sort])


def _found(before: dict[str, Any], after: dict[str, Any]) -> Iterator[Change]:
    for collection, declared in COLLECTIONS.items():
        singular = declared.word
        old = {item["id"]: (index, item) for index, item in enumerate(before.get(collection, []))}
        new = {item["id"]: (index, item) for index, item in enumerate(after.get(collection, []))}
        for name, (index, item) in new.items():
            if name not in old:
                yield Change("added", f"{place_in_words(after, (collection, index))}{_kind_of(collection, item)}")
        for name, (index, item) in old.items():
            if name not in new:
                yield Change("removed", f"{place_in_words(before, (collection, index))}{_kind_of(collection, item)}")
        stayed = [name for name in old if name in new]
        if stayed != [name for name in new if name in old]:
            moved = _moved(stayed, [name for name in new if name in old])
            labels = ", ".join(f"'{new[name][1].get('label') or name}'" for name in moved)
            yield Change("moved", f"{singular if len(moved) == 1 else singular + 's'} {labels} to another place")
        for name in stayed:
            yield from _inside(old[name][1], new[name][1], (collection, new[name][0]), after)
    rest = [name for name in after if name not in COLLECTIONS and name != "format"]
    for name in rest:
        yield from _field(before.get(name), after.get(name), (name,), after, None)


def _moved(old: list[str], new: list[str]) -> list[str]:
    """The fewest items that have to move: those outside the longest run that keeps its order."""
    places = [old.index(name) for name in new]
    best: list[list[int]] = []
    for at, place in enumerate(places):
        runs = [run for run in best if places[run[-1]] < place]
        best.append([*_longest(runs), at])
    kept = set(_longest(best))
    return [name for at, name in enumerate(new) if at not in kept]


def _longest(runs: list[list[int]]) -> list[int]:
    return max(runs, key=lambda run: len(run)) if runs else []


def _kind_of(collection: str, item: dict[str, Any]) -> str:
    slot = {"shapes": "shape", "fields": "field", "looks": "look"}.get(collection)
    title = _titles().get((slot, str(item.get("kind")))) if slot else None
    return f" ({title})" if title and title.lower() != str(item.get("label", "")).lower() else ""


def _inside(old: dict[str, Any], new: dict[str, Any], path: tuple[str | int, ...], whole: dict[str, Any]) -> Iterator[Change]:
    """Changes within one part of a document that both have."""
    if "kind" in old and old.get("kind") != new.get("kind"):
        yield Change("changed", f"{place_in_words(whole, path)}: {_title(old)} → {_title(new)}")
        return
    for name in new:
        yield from _field(old.get(name), new.get(name), (*path, name), whole, new)


def _field(old: Any, new: Any, path: tuple[str | int, ...], whole: dict[str, Any], owner: dict[str, Any] | None) -> Iterator[Change]:
    if old == new:
        return
    if isinstance(old, dict) and isinstance(new, dict) and not _short(old) and not _short(new):
        yield from _inside(old, new, path, whole)
    elif isinstance(old, list) and isinstance(new, list) and any(isinstance(entry, dict) and "id" in entry for entry in [*old, *new]):
        yield from _parts(old, new, path, whole)
    else:
        unit, words = _declared(owner, path)
        yield Change("changed", f"{place_in_words(whole, path)}: {_told(old, unit, words)} → {_told(new, unit, words)}")


def _parts(old: list[Any], new: list[Any], path: tuple[str | int, ...], whole: dict[str, Any]) -> Iterator[Change]:
    """Changes in a list of parts: actions, conditions, layers of colour, which are known by their ids."""
    before, after = ({entry["id"]: entry for entry in entries if isinstance(entry, dict) and "id" in entry} for entries in (old, new))
    place = place_in_words(whole, path)
    for index, entry in enumerate(new):
        if entry["id"] in before:
            yield from _field(before[entry["id"]], entry, (*path, index), whole, None)
        else:
            yield Change("added", f"{place}: {_title(entry)}")
    for entry in old:
        if entry["id"] not in after:
            yield Change("removed", f"{place}: {_title(entry)}")
    stayed = [name for name in before if name in after]
    if stayed != [name for name in after if name in before]:
        for name in _moved(stayed, [name for name in after if name in before]):
            yield Change("moved", f"{place}: {_title(after[name])} to another place")


def _short(value: dict[str, Any]) -> bool:
    """Whether a part is best told as one value: a fixed amount, or keyframes."""
    return value.get("kind") == "fixed" or "keys" in value


def _told(value: Any, unit: str, words: dict[str, str]) -> str:
    if isinstance(value, dict) and value.get("kind") == "fixed":
        return _told(value["value"], unit, words)
    if isinstance(value, dict) and "keys" in value:
        return f"keyframes ({len(value['keys'])})"
    if isinstance(value, dict):
        return _title(value)
    if isinstance(value, bool):
        return "on" if value else "off"
    if value is None:
        return "none"
    if isinstance(value, int | float):
        return f"{value:g}{' ' + unit if unit else ''}"
    if isinstance(value, list) and len(value) <= 4 and all(isinstance(entry, int | float) for entry in value):
        return f"({', '.join(f'{entry:g}' for entry in value)}){' ' + unit if unit else ''}"
    if isinstance(value, list):
        return ", ".join(map(str, value)) if len(value) <= 4 and all(isinstance(entry, str) for entry in value) else f"{len(value)} entries"
    text = words.get(str(value), str(value))
    return f"'{text}'" if len(text) <= 60 else f"'{text[:57]}…'"


def _title(part: Any) -> str:
    if not isinstance(part, dict):
        return str(part)
    titles = {tag: title for (_slot, tag), title in _titles().items()}
    return titles.get(str(part.get("kind")), str(part.get("label") or part.get("kind") or "a part"))


@cache
def _kinds() -> dict[tuple[str, str], dict[str, Any]]:
    """Every kind as the catalogue describes it, by slot and tag."""
    return {(slot, kind["kind"]): kind for slot, members in catalogue()["slots"].items() for kind in members}


def _titles() -> dict[tuple[str, str], str]:
    return {name: kind["title"] for name, kind in _kinds().items()}


def _declared(owner: dict[str, Any] | None, path: tuple[str | int, ...]) -> tuple[str, dict[str, str]]:
    """The unit of a field, and the words for its choices."""
    tag = None if owner is None else owner.get("kind")
    parts = [kind for (_slot, name), kind in _kinds().items() if name == tag]
    for kind in parts:
        for field in kind["fields"]:
            if field["name"] == path[-1]:
                return UNITS.get(str(field.get("unit") or ""), ""), field.get("words") or {}
    declared = fixed_part(path[:-1]).model_fields.get(str(path[-1])) if not parts else None
    ui = ui_of(declared) if declared is not None else {}
    return UNITS.get(str(ui.get("unit") or ""), ""), ui.get("words") or {}
