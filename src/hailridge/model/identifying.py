"""Ids for what stands in lists: every action, condition and layer of colour has one, by which random numbers, memory and the page know it."""

from __future__ import annotations

from typing import Any

Raw = dict[str, Any]


def identified(document: Raw) -> Raw:
    """The document with an id for every part in a list within its items that has none; the same object where none is missing.

    A part gets its place in the list, or the next number that is free: what was told apart by its place before it had an id stays the same.
    """
    return {name: _items(value) if isinstance(value, list) else value for name, value in document.items()}


def _items(items: list[Any]) -> list[Any]:
    """Items of a collection have ids of their own, and are told where they have not."""
    return [_inside(item) if isinstance(item, dict) else item for item in items]


def _inside(node: Raw) -> Raw:
    changed: Raw = {}
    for name, value in node.items():
        if isinstance(value, dict):
            made: Any = _inside(value)
        elif isinstance(value, list) and value and isinstance(value[0], dict) and "kind" in value[0]:
            made = _listed(value)
        else:
            continue
        if made is not value:
            changed[name] = made
    return {**node, **changed} if changed else node


def _listed(parts: list[Any]) -> list[Any]:
    taken = {part["id"] for part in parts if isinstance(part, dict) and isinstance(part.get("id"), str)}
    out: list[Any] = []
    for place, part in enumerate(parts):
        if not isinstance(part, dict):
            out.append(part)
            continue
        made = _inside(part)
        if part.get("id") is None:
            number = place
            while str(number) in taken:
                number += 1
            taken.add(str(number))
            made = {**made, "id": str(number)}
        out.append(made)
    return out if any(one is not other for one, other in zip(out, parts, strict=True)) else parts
