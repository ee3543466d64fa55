"""What the interface is generated from: every registered kind and fixed part with its fields, wording, help, units and defaults."""

from __future__ import annotations

from typing import Any

from pydantic.fields import FieldInfo
from pydantic_core import PydanticUndefined

from hailridge.model import fields, units
from hailridge.model.attributes import BUILT_IN, OWN_RANGES, own_info
from hailridge.model.collections import COLLECTIONS
from hailridge.model.effect import GROUP_COLORS, PARTS_OF_A_STEP, TRIGGER_PLACES, Clock, Effect, PictureSettings
from hailridge.model.kind import Kind, Part
from hailridge.model.parts import Action, Amount, Condition, Look, Quantity

FIXED_PARTS: dict[str, type[Part]] = {
    "clock": Clock,
    "picture": PictureSettings,
    **{collection.word: collection.item for collection in COLLECTIONS.values() if not collection.slot},
}


def catalogue() -> dict[str, Any]:
    """The whole registry as JSON-ready data, the only list of capabilities that the interface has."""
    return {
        "slots": {slot: [_entry(kind, tag) for tag, kind in _ranked(members)] for slot, members in Kind.registry.items() if slot},
        "parts": {name: _entry(part, name) for name, part in FIXED_PARTS.items()},
        "attributes": [vars(info) for info in BUILT_IN.values()],
        "own_attributes": {name: vars(own_info({"type": name})) for name in OWN_RANGES},
        "collections": {name: {"word": collection.word, "slot": collection.slot} for name, collection in COLLECTIONS.items()},
        "units": units.UNITS,
        "measures": {unit: vars(measure) for unit, measure in units.MEASURES.items()},
        "trigger_places": TRIGGER_PLACES,
        "parts_of_a_step": PARTS_OF_A_STEP,
        "group_colors": GROUP_COLORS,
    }


def _ranked(members: dict[str, type[Kind]]) -> list[tuple[str, type[Kind]]]:
    return sorted(members.items(), key=lambda entry: entry[1].rank)


def _entry(part: type[Part], tag: str) -> dict[str, Any]:
    entry: dict[str, Any] = {
        "only_in": list(part.only_in) if issubclass(part, Kind) else [],
        "single": issubclass(part, Amount) and part.single,
        "kind": tag,
        "title": part.title,
        "sentence": part.sentence,
        "help": part.help,
        "category": part.category if issubclass(part, Kind) else "",
        "also": part.also if issubclass(part, Kind) else "",
        "leads": issubclass(part, Kind) and part.leads,
        "fields": [_field(name, part.model_fields[name]) for name in _own_first(part) if fields.ui_of(part.model_fields[name])],
    }
    if issubclass(part, Quantity):
        entry |= {"unit": part.unit, "value_type": part.value_type, "soft": list(part.soft), "low": part.low, "high": part.high, "runs": part.runs}
        entry["start"] = part.start if part.start is not None else float(f"{(part.soft[0] + part.soft[1]) / 2:.3g}")
    if issubclass(part, Condition):
        entry["facts_as"] = part.facts_as
    if issubclass(part, Action):
        entry |= {"phase": part.phase, "places": list(part.places)}
    if issubclass(part, Look):
        entry["shader"] = part.shader
    return entry


def _own_first(part: type[Part]) -> list[str]:
    """Names of all fields: what makes a kind what it is before what it shares with others."""
    own = [name for name in part.model_fields if name in part.__annotations__]
    return own + [name for name in part.model_fields if name not in own]


def _field(name: str, info: FieldInfo) -> dict[str, Any]:
    ui = fields.ui_of(info)
    default = info.get_default(call_default_factory=True) if not info.is_required() else None
    ui["label"] = ui.get("label") or name.replace("_", " ").capitalize()
    ui["keyable"] = fields.keyable(info)
    if ui["type"] == "slot" and isinstance(default, dict) and "kind" in default:
        # Spelled out in full, as documents come back: what is at its default is told apart by comparing.
        default = Kind.registry[ui["slot"]][default["kind"]].model_validate(default).model_dump()
    if ui["type"] == "slot" and isinstance(default, list):
        default = [Kind.registry[ui["slot"]][entry["kind"]].model_validate(entry).model_dump() for entry in default]
    return {"name": name, "default": None if default is PydanticUndefined else default, "required": info.is_required(), **ui}


def json_schema() -> dict[str, Any]:
    """The published JSON Schema of the effect document (draft 2020-12)."""
    schema: dict[str, Any] = Effect.model_json_schema()
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", "title": "Hailridge effect", **schema}


STRUCTURE = {"$ref", "anyOf", "oneOf", "additionalProperties", "const", "discriminator", "enum", "items"}
STRUCTURE |= {"mapping", "maxItems", "minItems", "prefixItems", "properties", "propertyName", "required", "type"}


def document_types() -> dict[str, Any]:
    """The structure of the effect document as an OpenAPI description, from which the front end's types are made."""

    def bare(node: Any, named: bool = False) -> Any:
        """What decides a type: names of properties and schemas stay, wording and limits go."""
        if isinstance(node, list):
            return [bare(entry) for entry in node]
        if not isinstance(node, dict):
            return node.replace("#/$defs/", "#/components/schemas/") if isinstance(node, str) else node
        kept = {name: value for name, value in node.items() if named or name in STRUCTURE}
        return {name: bare(value, name in ("properties", "mapping") and not named) for name, value in kept.items()}

    schema = Effect.model_json_schema()
    parts = {name: bare(part) for name, part in {"Effect": schema, **schema["$defs"]}.items()}
    for part in parts.values():
        # As documents are stored: what has a default is there, too.
        part["required"] = list(part.get("properties", {}))
    about = {"title": "The effect document", "version": "1"}
    return {"openapi": "3.1.0", "info": about, "paths": {}, "components": {"schemas": parts}}
