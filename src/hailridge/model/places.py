"""Where things stand in a raw document, and what is declared of the fields that they stand in."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from pydantic import ValidationError

from hailridge.model import fields
from hailridge.model.collections import COLLECTIONS
from hailridge.model.effect import Effect
from hailridge.model.kind import Kind, Part, Path
from hailridge.model.migrations import migrate
from hailridge.model.validation import check

Raw = dict[str, Any]


@dataclass
class Place:
    """A field of a part in a raw document: the part, its class, the field's name and what is declared of it."""

    owner: Any
    part: type[Part] | None
    name: str | int
    ui: Raw


FIXED_PARTS: dict[str, type[Part]] = {
    **{name: collection.item for name, collection in COLLECTIONS.items() if not collection.slot},
    **{
        name: field.annotation
        for name, field in Effect.model_fields.items()
        if isinstance(field.annotation, type) and issubclass(field.annotation, Part)
    },
}
"""Parts of a document that are always of one class, by the name of the field that holds them."""

ITEMS: dict[str, Raw] = {
    **{name: {"type": "slot", "slot": collection.slot, "many": True} for name, collection in COLLECTIONS.items() if collection.slot},
    **{name: {"type": "part", "part": name} for name in FIXED_PARTS},
}
"""What stands in the document itself, declared as its fields declare what stands in them."""


def place_of(document: Raw, path: Path) -> Place:
    """What a path of a document names. Raises LookupError where it leads nowhere."""
    node: Any = document
    part: type[Part] | None = Effect
    ui: Raw = {}
    place = Place(document, Effect, "", {})
    for key in path:
        if isinstance(node, list):
            place = Place(node, None, key, ui)
            node = node[int(key)]
        elif isinstance(node, dict):
            field = part.model_fields.get(str(key)) if part is not None else None
            ui = ITEMS.get(str(key), {}) if part is Effect else fields.ui_of(field) if field is not None else {}
            place = Place(node, part, key, ui)
            node = node.get(str(key))
        else:
            raise LookupError(f"nothing stands at {'/'.join(map(str, path))}")
        part = _class_of(node, ui)
    return place


def _class_of(node: Any, ui: Raw) -> type[Part] | None:
    if not isinstance(node, dict):
        return None
    if "part" in ui:
        return FIXED_PARTS[ui["part"]]
    slot = "amount" if ui.get("type") == "amount" else ui.get("slot")
    return Kind.registry[slot].get(node.get("kind", "")) if slot else None


def value_of(place: Place) -> Any:
    return place.owner[int(place.name)] if isinstance(place.owner, list) else place.owner.get(str(place.name))


def put(document: Raw, path: Path, value: Any) -> None:
    node: Any = document
    for key in path[:-1]:
        node = node[key]
    if isinstance(node, list) and path[-1] == len(node):
        node.append(value)
    else:
        node[path[-1]] = value


def list_end(document: Raw, path: Path) -> int | None:
    node: Any = document
    for key in path[:-1]:
        node = node[key]
    return len(node) if isinstance(node, list) and path[-1] == len(node) else None


BROKEN = 1_000_000
"""Stands for a document that cannot even be read."""


def wrong_at(document: Raw, path: Path) -> int:
    """How much is wrong at or below a path of the document."""
    try:
        effect = Effect.model_validate(migrate(_small(document, path)))
    except ValidationError:
        return BROKEN
    return sum(1 for problem in check(effect) if problem.path[: len(path)] == path)


def _small(document: Raw, path: Path) -> Raw:
    """The document with as little as possible besides what stands at a path, so that it is read quickly."""
    rules = [
        rule if path[:2] == ("rules", index) else {"id": rule["id"], "trigger": rule.get("trigger", "each")}
        for index, rule in enumerate(document.get("rules", []))
    ]
    left_out: Raw = {name: [] for name in ("sources", "looks") if path[:1] != (name,)}
    return {**document, "rules": rules, **left_out}


