"""Lifting older documents to the present format. Each step takes a document of one format and returns it in the next."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from hailridge.model.dials import Dial
from hailridge.model.effect import FORMAT
from hailridge.model.identifying import identified

Step = Callable[[dict[str, Any]], dict[str, Any]]


def _curves_over_life(document: dict[str, Any]) -> dict[str, Any]:
    """1 → 2: the amount of three values over life became a curve of any number of keys."""

    def lifted(node: Any) -> Any:
        if isinstance(node, list):
            return [lifted(entry) for entry in node]
        if not isinstance(node, dict):
            return node
        if node.get("kind") == "over_life":
            stops = [(0.0, node.get("birth", 0.0)), (node.get("at", 0.5), node.get("middle", 1.0)), (1.0, node.get("end", 0.0))]
            wide = any(isinstance(value, list) for _at, value in stops)
            keys = [{"at": at, "value": [value] * 3 if wide and not isinstance(value, list) else value} for at, value in stops]
            return {"kind": "curve", "over": "life", "curve": {"keys": keys}}
        return {name: lifted(value) for name, value in node.items()}

    return {**lifted(document), "format": 2}


def _colors_in_layers(document: dict[str, Any]) -> dict[str, Any]:
    """2 → 3: a look's one colour became layers of colour, and a dot's width a value that may vary."""
    if not isinstance(document.get("looks", []), list):
        return {**document, "format": 3}
    looks = []
    for look in document.get("looks", []):
        if isinstance(look, dict) and "layers" not in look:
            look = dict(look)
            tint, color = look.pop("tint", "own"), look.pop("color", [0.66, 0.83, 0.86])
            look["layers"] = {"group": [{"kind": "by_group"}], "amount": [{"kind": "plain", "color": color}]}.get(tint, [])
        looks.append(look)
    return {**document, "looks": looks, "format": 3}


def _bursts_and_dials(document: dict[str, Any]) -> dict[str, Any]:
    """3 → 4: births at one moment, at 0, used to mean the beginning of the pre-roll; now 0 is frame 0. A dial's value has the form of its type."""
    if isinstance(document.get("dials"), list):
        dials = [Dial.renewed(dial) if isinstance(dial, dict) and not _fits(dial) else dial for dial in document["dials"]]
        document = {**document, "dials": dials}
    clock = document.get("clock")
    pre_roll = clock.get("pre_roll", 0.0) if isinstance(clock, dict) else 0.0
    if not isinstance(pre_roll, int | float) or pre_roll <= 0 or not isinstance(document.get("sources"), list):
        return {**document, "format": 4}

    def lifted(source: Any) -> Any:
        emission = source.get("emission") if isinstance(source, dict) else None
        if not isinstance(emission, dict) or emission.get("kind") not in ("burst", "one", "fill") or emission.get("time", 0.0) != 0:
            return source
        return {**source, "emission": {**emission, "time": -float(pre_roll)}}

    return {**document, "sources": [lifted(source) for source in document["sources"]], "format": 4}


def _attributes_of_every_type(document: dict[str, Any]) -> dict[str, Any]:
    """4 → 5: an attribute of one's own, always a number handed to children or not, got a type and a share that children get."""
    attributes = []
    for attribute in document.get("attributes", []) if isinstance(document.get("attributes"), list) else ():
        if isinstance(attribute, dict) and "inherited" in attribute:
            attribute = dict(attribute)
            attribute["share"] = 100.0 if attribute.pop("inherited") is True else 0.0
        attributes.append(attribute)
    return {**document, **({"attributes": attributes} if attributes else {}), "format": 5}


def _ids_in_lists(document: dict[str, Any]) -> dict[str, Any]:
    """5 → 6: actions, conditions and layers of colour got ids."""
    return {**identified(document), "format": 6}


def _trails_by_particle(document: dict[str, Any]) -> dict[str, Any]:
    """6 → 7: how long trails are, when they go and how they sway were numbers and became amounts."""
    looks = document.get("looks")
    if not isinstance(looks, list):
        return {**document, "format": 7}

    def lifted(node: Any, names: tuple[str, ...]) -> Any:
        if not isinstance(node, dict):
            return node
        given = {name: {"kind": "fixed", "value": value} for name, value in node.items() if name in names and not _is_kind(value)}
        return {**node, **given}

    def of_trails(look: Any) -> Any:
        if not isinstance(look, dict) or look.get("kind") != "trails":
            return look
        look = lifted(look, ("fade_time", "outlive", "sway"))
        return {**look, "length": lifted(look["length"], ("points", "seconds"))} if "length" in look else look

    return {**document, "looks": [of_trails(look) for look in looks], "format": 7}


def _is_kind(value: Any) -> bool:
    return isinstance(value, dict) and "kind" in value


def _fits(dial: dict[str, Any]) -> bool:
    """Whether a dial's value, or its first keyframe's, has the form of its type."""
    value = dial.get("value", 1.0)
    if isinstance(value, dict):
        keys = value.get("keys")
        value = keys[0].get("value") if isinstance(keys, list) and keys and isinstance(keys[0], dict) else None
    return bool(isinstance(value, list) == (dial.get("type", "number") != "number"))


STEPS: dict[int, Step] = {
    1: _curves_over_life, 2: _colors_in_layers, 3: _bursts_and_dials, 4: _attributes_of_every_type, 5: _ids_in_lists, 6: _trails_by_particle,
}  # fmt: skip
"""Format number → the step that lifts it by one."""


def migrate(document: dict[str, Any]) -> dict[str, Any]:
    """Return `document` in the present format; documents of the future are left for validation to refuse."""
    version = document.get("format", FORMAT)
    while isinstance(version, int) and version < FORMAT and version in STEPS:
        document = STEPS[version](document)
        version = document.get("format", version + 1)
    return document
