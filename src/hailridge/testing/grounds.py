"""A small effect into which any kind can be put, and where in it the kind then stands."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from hailridge.core.scene.assets import Assets, MemoryAssets, Mesh
from hailridge.model.effect import TRIGGER_PLACES, Source
from hailridge.model.exchanging import exchanged
from hailridge.model.fields import ui_of
from hailridge.model.kind import Kind, Path
from hailridge.model.parts import Action

Raw = dict[str, Any]

SHAPES: list[Raw] = [
    {"kind": "ball", "id": "ball", "label": "Ball", "radius": 0.6, "position": [0.0, 1.2, 0.0]},
    {"kind": "plane", "id": "floor", "label": "Floor", "width": 20.0, "depth": 20.0},
    {"kind": "path", "id": "way", "label": "Way", "points": [[-1.0, 1.0, 0.0], [0.0, 1.5, 0.0], [1.0, 1.0, 0.0]]},
]


def ground() -> Raw:
    """Particles that stream out of a ball, fall, bounce off a floor and change groups, with a field, a dial, attributes and a look."""
    stream = {"kind": "rate", "rate": 60.0}
    source = {"id": "stream", "label": "Stream", "group": "a", "shape": "ball", "emission": stream, "speed": 2.0, "lifetime": 0.8, "radius": 0.03}
    crowd = source | {"id": "crowd", "label": "Crowd", "group": "b", "placement": {"kind": "inside"}, "lifetime": 5.0, "radius": 0.05}
    crowd["emission"] = {"kind": "burst", "count": 30}
    return {
        "name": "Ground",
        "clock": {"duration": 1.0, "frames_per_second": 24.0, "particle_budget": 3000},
        "dials": [{"id": "dial", "label": "Dial", "value": 0.5}],
        "shapes": [dict(shape) for shape in SHAPES],
        "fields": [{"kind": "falloff", "id": "near", "label": "Near", "shape": "ball"}],
        "groups": [{"id": "a", "label": "A"}, {"id": "b", "label": "B"}],
        "attributes": [{"id": "heat", "label": "Heat", "initial": 0.5}, {"id": "hot", "label": "Hot", "type": "flag"}],
        "sources": [source, crowd],
        "rules": [
            {"id": "fall", "label": "Fall", "actions": [{"kind": "gravity"}, {"kind": "bounce", "shape": "floor"}]},
            {"id": "age", "label": "Age", "condition": {"kind": "compare", "quantity": {"kind": "age"}, "threshold": 0.3}, "who": ["a"],
             "actions": [{"kind": "move", "group": "b"}]},
            {"id": "here", "label": "Here", "condition": {"kind": "compare", "quantity": {"kind": "own_random"}, "threshold": 0.2},
             "actions": [{"kind": "set", "attribute": "radius", "amount": 0.04}]},
        ],
        "looks": [{"kind": "balls", "id": "look"}],
    }  # fmt: skip


def assets() -> Assets:
    """One mesh, a tetrahedron called "mesh"."""
    corners = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0], [0, 0, 1]], np.float32)
    return MemoryAssets({"mesh": Mesh(corners, np.array([[0, 2, 1], [0, 1, 3], [0, 3, 2], [1, 2, 3]], np.int32))})


@dataclass(frozen=True)
class Placed:
    """A document with a kind in it, and the path at which that stands."""

    document: Raw
    path: Path

    def node(self) -> Raw:
        found: Any = self.document
        for key in self.path:
            found = found[key]
        assert isinstance(found, dict)
        return found


def placed(cls: type[Kind]) -> Placed:
    """The ground with one of this kind where such a thing stands.

    Raises LookupError where nothing is known of its slot.
    """
    raw, tag = ground(), str(cls.model_fields["kind"].default)
    match cls.slot:
        case "quantity":
            raw = exchanged(raw, ("rules", 2, "condition", "quantity"), tag)
            return Placed(raw, ("rules", 2, "condition", "quantity"))
        case "amount":
            return _put(raw, ("rules", 2, "actions", 0, "amount"), tag)
        case "condition":
            return _put(raw, ("rules", 2, "condition"), tag)
        case "action":
            assert issubclass(cls, Action)
            trigger = next(word for word, place in TRIGGER_PLACES.items() if place in cls.places)
            raw["rules"].append({"id": "mine", "label": "Mine", "trigger": trigger, "actions": []})
            return _put(raw, ("rules", 3, "actions", 0), tag)
        case "urge":
            raw["rules"].append({"id": "mine", "label": "Mine", "actions": []})
            own = _put(raw, ("rules", 3, "actions", 0), "steer")
            return _put(own.document, ("rules", 3, "actions", 0, "urges", 0), tag)
        case "handing":
            raw["rules"].append({"id": "mine", "label": "Mine", "trigger": "once", "actions": []})
            own = _put(raw, ("rules", 3, "actions", 0), "spawn")
            return _put(own.document, ("rules", 3, "actions", 0, "hands", 0), tag)
        case "shape":
            own = _put(raw, ("shapes", 3), tag, {"id": "mine", "label": "Mine", **({"asset": "mesh"} if "asset" in cls.model_fields else {})})
            own.document["sources"][0]["shape"] = "mine"
            return own
        case "field":
            own = _put(raw, ("fields", 1), tag, {"id": "mine", "label": "Mine"})
            own.document["rules"][2]["actions"][0]["where"] = "mine"
            return own
        case "look":
            return _put(raw, ("looks", 1), tag, {"id": "mine"})
        case slot:
            return _inside(raw, slot, tag, cls.only_in)


def _put(raw: Raw, path: Path, tag: str, given: Raw | None = None) -> Placed:
    return Placed(exchanged(raw, path, tag, given=given), path)


def _inside(raw: Raw, slot: str, tag: str, only_in: tuple[str, ...]) -> Placed:
    """In the source, or in the first look that has a place for it."""
    for name, field in Source.model_fields.items():
        if ui_of(field).get("slot") == slot:
            return _put(raw, ("sources", 0, name), tag)
    for look, cls in Kind.registry["look"].items():
        for name, field in cls.model_fields.items():
            if ui_of(field).get("slot") == slot and (not only_in or look in only_in):
                own = _put(raw, ("looks", 1), look, {"id": "mine"})
                node = own.node()
                end = (len(node[name]),) if ui_of(field).get("many") else ()
                return _put(own.document, ("looks", 1, name, *end), tag)
    raise LookupError(f"nothing is known to hold a {slot}")
