"""What a new part begins with: its defaults, or what is better where it stands; the newest things that fit, made where there are none."""

from __future__ import annotations

from copy import deepcopy
from typing import Any

from hailridge.model import fields
from hailridge.model.attributes import BUILT_IN, raw_table
from hailridge.model.collections import named
from hailridge.model.effect import GROUP_COLORS, freshly_named
from hailridge.model.kind import Kind, Part, Path
from hailridge.model.neighbourhoods import Neighbourhood
from hailridge.model.parts import Action
from hailridge.model.places import Place, Raw
from hailridge.model.placing import stands_in


class NothingFits(ValueError):
    """A kind that needs something which is not there and cannot be made for it."""


def new_part(document: Raw, cls: type[Part], place: Place, given: Raw, who: list[str]) -> Raw:
    """A new part with what is given, else with all defaults, its references naming the newest fitting things; `who`: the groups that it is about.

    Of a part that is given in part, the rest is filled in likewise.
    """
    node: Raw = {}

    def whole(said: Any, slot: str) -> Any:
        if isinstance(said, list):
            return [whole(entry, slot) for entry in said]
        known = Kind.registry.get(slot, {}).get(said.get("kind", "")) if isinstance(said, dict) else None
        return new_part(document, known, place, said, who) if known is not None else said

    for name, field in cls.model_fields.items():
        ui = fields.ui_of(field)
        if name in given or not field.is_required():
            said = given[name] if name in given else field.get_default(call_default_factory=True)
            node[name] = whole(said.model_dump() if isinstance(said, Part) else deepcopy(said), ui.get("slot", ""))
            continue
        if name in ("id", "label"):
            continue
        node[name] = _own(document, ui["to"], who, ui["makes"]) if "makes" in ui else _newest(document, ui["to"], place, who, ui)
    return node


def first_guess(document: Raw, path: Path, cls: type[Kind]) -> Raw:
    """What an action begins with where it stands."""
    if not issubclass(cls, Action) or not cls.begins:
        return {}
    stands = stands_in(document, path)
    guess = cls.begins.get("", {}) | cls.begins.get(stands, {})
    if stands == "step" and document["rules"][int(path[1])].get("condition") is None:
        guess |= cls.begins.get("always", {})
    return deepcopy(guess)


def _newest(document: Raw, to: str, place: Place, who: list[str], ui: Raw) -> str:
    """The newest thing of a sort that can be named; one is made where there is none and one can be. `ui`: what is declared of the field."""
    only, but = ui.get("only"), ui.get("but")
    if to == "attribute" and only:
        fitting = [info.id for info in raw_table(document).values() if info.own and info.value_type in only]
        if not fitting:
            declared = document.setdefault("attributes", [])
            identifier, label = freshly_named("My yes or no", declared)
            declared.append({"id": identifier, "label": label, "type": only[0], "initial": {"kind": "fixed", "value": 0.0}})
            fitting = [identifier]
        return fitting[-1]
    if to == "attribute" and but:
        return _another(document, place, but)
    if to == "attribute":
        own = place.owner.get("attribute") if isinstance(place.owner, dict) else None
        return own if isinstance(own, str) else "radius"
    if to == "asset":
        raise NothingFits("a mesh has to be brought in from a file first")
    collection = named(to).name
    if to == "dial":
        # One that fits is looked for, or made, when the value that it has to have is known.
        return ""
    if not document.get(collection):
        if to == "rule":
            raise NothingFits("there is no rule yet that it could be about")
        document[collection] = [_made_for(document, to, who)]
    if ui.get("other"):
        return _other(document, to, who)
    return str(document[collection][-1]["id"])


def _other(document: Raw, to: str, who: list[str]) -> str:
    """The newest thing that a part is not about; one is made where it is about all that there are."""
    items = document[named(to).name]
    free = [str(item["id"]) for item in items if item["id"] not in who] if len(items) > 1 else []
    return free[-1] if free else _own(document, to, who, {})


def _another(document: Raw, place: Place, but: list[str]) -> str:
    """An attribute that none of the others in a list names: an own one if there is one."""
    listed = place.owner.get(place.name) if isinstance(place.owner, dict) else None
    taken = {entry.get("attribute") for entry in listed if isinstance(entry, dict)} if isinstance(listed, list) else set()
    free = [info.id for info in raw_table(document).values() if info.writable and info.id not in but and info.id not in taken]
    own = [name for name in free if name not in BUILT_IN]
    return own[-1] if own else "mass" if "mass" in free or not free else free[0]


def _own(document: Raw, to: str, who: list[str], given: Raw) -> str:
    """A new thing that belongs to a new part, with these values: among those whom the part is about."""
    items = document.setdefault(named(to).name, [])
    identifier, label = freshly_named(str(given.get("label", to.capitalize())), items)
    made = {**_made_for(document, to, who), **deepcopy(given), "id": identifier, "label": label}
    items.append({**made, **({"among": list(who)} if "among" in made else {})})
    return identifier


def _made_for(document: Raw, to: str, who: list[str]) -> Raw:
    if to == "group":
        used = {group.get("color") for group in document.get("groups", ()) if isinstance(group, dict)}
        color = next((color for color in GROUP_COLORS if color not in used), GROUP_COLORS[0])
        return {"id": "particles", "label": "Particles", "color": color, "parent": None}
    if to == "shape":
        return _spelled("shape", "ball") | {"id": "ball", "label": "Ball", "visible": True, "position": [0.0, 1.0, 0.0]}
    if to == "neighbourhood":
        return _defaults(Neighbourhood) | {"id": "surroundings", "label": "Surroundings", "who": list(who)}
    if not document.get("shapes"):
        document["shapes"] = [_made_for(document, "shape", who)]
    return _spelled("field", "falloff") | {"id": "field", "label": "Field", "shape": document["shapes"][-1]["id"]}


def _spelled(slot: str, kind: str) -> Raw:
    return _defaults(Kind.registry[slot][kind])


def _defaults(cls: type[Part]) -> Raw:
    """All of a part that has a default."""
    return {name: deepcopy(field.get_default(call_default_factory=True)) for name, field in cls.model_fields.items() if not field.is_required()}
