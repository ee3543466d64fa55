"""Changing what stands in a place of a document: another kind of the same sort, one more action, another attribute.

Whatever comes out can be saved: a reference that has to be there is filled with the newest fitting thing, or with one made for it; what stood
there before is kept as far as the new kind takes it; and what is compared, set or mapped gets a value of the right type and of a sensible size.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Collection
from contextlib import suppress
from copy import deepcopy
from typing import Any

from hailridge.model import fields
from hailridge.model.attributes import WIDE, Table, expected_of, raw_table
from hailridge.model.beginning import NothingFits, first_guess, new_part
from hailridge.model.effect import freshly_named
from hailridge.model.fitting import fit_amount
from hailridge.model.kind import Kind, Part, Path
from hailridge.model.parts import Amount, Condition, Quantity
from hailridge.model.places import Raw, list_end, place_of, put, value_of, wrong_at
from hailridge.model.rounding import band_of
from hailridge.model.validation import DocumentError, read_effect

IDENTITY = ("id", "label", "visible", "enabled")
"""What of a part says who it is, and stays whatever it becomes."""

Tell = Callable[[str, Any, list[str]], Raw | None]
"""What the particles have now of a "quantity" (a raw part) or an "attribute" (its id), over some groups: see `fields.Suggestion`."""


def exchanged(document: Raw, path: Path, kind: str, tell: Tell | None = None, given: Raw | None = None) -> Raw:
    """The document with another kind at `path`: in the place of what stood there, or as one more where `path` ends just behind a list.

    Raises NothingFits where the kind needs something that is not there, or where something relies on what stood there; LookupError where there is
    no such place or kind.
    """
    original, document = document, deepcopy(document)
    at = list_end(document, path)
    place = place_of(document, path[:-1]) if at is not None else place_of(document, path)
    slot = "amount" if place.ui.get("type") == "amount" else place.ui.get("slot", "")
    cls = Kind.registry.get(slot, {})[kind]
    before = None if at is not None else value_of(place)
    if issubclass(cls, Amount) and cls.single and expected_of(place.ui, place.owner, raw_table(document))[0] in WIDE:
        raise NothingFits(f"'{cls.title}' is one number; here three are needed")
    _allowed(document, path, cls)
    fresh = new_part(document, cls, place, first_guess(document, path, cls) | (given or {}), _who(document, path))
    around = place.part
    if around is not None and issubclass(around, Condition) and around.facts_as and issubclass(cls, Quantity) and cls.value_type == "flag":
        # A fact is held against nothing: the test around it becomes one that takes facts.
        kept = {"id": place.owner["id"]} if isinstance(place.owner, dict) and place.owner.get("id") is not None else {}
        put(document, path[:-1], {"kind": around.facts_as, str(path[-1]): fresh, **kept})
        return document
    put(document, path, fresh)
    taken: set[str] = set()
    if isinstance(before, dict):
        # What was said stays as it was said, whatever stood there.
        left = _begun_anew(cls, before, slot) if before.get("kind") == kind and not given else before
        taken = _carry(document, path, cls, fresh, {name: value for name, value in left.items() if name not in (given or {})}, slot)
        _rename(document, path, cls, fresh, before, slot)
    _settle(document, path, cls, tell, cls.model_fields.keys() if isinstance(before, dict) else given or {}, taken)
    if place.ui.get("type") == "amount":
        fit_amount(document, path, before)
    _renew_around(document, path, tell)
    _refuse_circles(document, original)
    return document


def referred(document: Raw, path: Path, value: Any, tell: Tell | None = None) -> Raw:
    """The document with another value in a field; what is held against it, or given to it, is renewed.

    Raises NothingFits where the document could not be read any more: shapes that carry one another in a circle, for one.
    """
    before, document = document, deepcopy(document)
    put(document, path, value)
    place = place_of(document, path)
    if place.ui.get("renews") and place.part is not None:
        put(document, path[:-1], place.part.renewed(place.owner))
        if path[0] == "attributes":
            _renew_users(document, str(place.owner.get("id")), (), document, tell)
    _renew_around(document, path, tell)
    _refuse_circles(document, before)
    return document


def _refuse_circles(document: Raw, before: Raw) -> None:
    """Raises NothingFits for a change after which a document that could be read cannot be any more, with the reason in words."""
    try:
        read_effect(document)
    except DocumentError as error:
        with suppress(DocumentError):
            read_effect(before)
            raise NothingFits(error.problems[0].text) from None


def _allowed(document: Raw, path: Path, cls: type[Kind]) -> None:
    """Raises NothingFits for a kind that only works within others than the ones around this place."""
    only = cls.only_in
    around = [value_of(place_of(document, path[:depth])) for depth in range(1, len(path))]
    if only and not any(isinstance(node, dict) and node.get("kind") in only for node in around):
        raise NothingFits(f"'{cls.title}' only works in {' or '.join(only)}")


# ── What stood there ────────────────────────────────────────────────────────────────────────────────────────────────────


def _begun_anew(cls: type[Part], before: Raw, slot: str) -> Raw:
    """What stays of a part whose own kind is chosen again, so that its values begin anew: who it is, and the others of its sort that it holds."""
    stays = {"kind", *IDENTITY, *(name for name, field in cls.model_fields.items() if fields.ui_of(field).get("slot") == slot)}
    return {name: value for name, value in before.items() if name in stays}


def _carry(document: Raw, path: Path, cls: type[Part], fresh: Raw, before: Raw, slot: str) -> set[str]:
    """Keep of what stood there whatever the new kind takes, and say what that is. What joins or turns around others of its sort takes in what stood
    there whole."""
    known = Kind.registry[slot].get(before.get("kind", ""))
    for name in IDENTITY:
        # Who it is stays: everything that names it goes on working.
        if name in before:
            fresh[name] = before[name]
    declared = {name: ui for name, field in cls.model_fields.items() if (ui := fields.ui_of(field))}
    twins = {
        name for name, ui in declared.items()
        if known is not None and name in before and name in known.model_fields and fields.ui_of(known.model_fields[name]).get("type") == ui["type"]
    }  # fmt: skip
    wrong, own = wrong_at(document, path), {name: fresh[name] for name in twins}
    # Together first: an attribute and the value that it is given fit each other.
    fresh.update({name: before[name] for name in twins})
    together = wrong_at(document, path) <= wrong
    if not together:
        fresh.update(own)
    for name, ui in declared.items():
        if name in twins:
            if not together:
                _try(document, path, fresh, name, before[name])
        elif ui.get("slot") == slot and slot == "condition":
            _try(document, path, fresh, name, [deepcopy(before)] if ui.get("many") else deepcopy(before))
        elif ui.get("measures"):
            _convert(document, path, fresh, name, ui, before, known)
        elif ui.get("spans"):
            _span(document, path, fresh, name, ui, before, known)
    return {name for name in twins if fresh[name] == before[name]}


def _rename(document: Raw, path: Path, cls: type[Part], fresh: Raw, before: Raw, slot: str) -> None:
    """An item that is still called after its kind is called after the new one: a ball that becomes a plane is no "Ball" any more.

    One whose name stands in a formula keeps it.
    """
    known = Kind.registry[slot].get(before.get("kind", ""))
    label, beside = str(fresh.get("label", "")), value_of(place_of(document, path[:-1]))
    if known is None or not isinstance(beside, list) or not re.fullmatch(rf"{re.escape(known.title)}( \d+)?", label):
        return
    faults = _faults(document)
    fresh["label"] = freshly_named(cls.title, [item for item in beside if item is not fresh])[1]
    if _faults(document) > faults:
        fresh["label"] = label


def _faults(document: Raw) -> int:
    """How much is wrong with a document, as far as it can be read."""
    try:
        return len(read_effect(document).problems)
    except DocumentError as error:
        return len(error.problems)


def _convert(document: Raw, path: Path, fresh: Raw, name: str, ui: Raw, before: Raw, known: type[Part] | None) -> None:
    """A number of frames becomes the same time in seconds, and the other way round; for one that varies, by as much as it varies."""
    rate = float(document.get("clock", {}).get("frames_per_second", 24.0))

    def converted(value: Any) -> Any:
        return round(value / rate, 4) if measured == "frames" else round(value * rate, 2)

    for other, field in known.model_fields.items() if known is not None else ():
        measured, value = fields.ui_of(field).get("measures"), before.get(other)
        if not measured or measured == ui["measures"]:
            continue
        if isinstance(value, int | float):
            value = {"kind": "fixed", "value": value}
        if isinstance(value, dict) and value.get("kind") in ("fixed", "spread"):
            numbers = {part: converted(value[part]) for part in ("value", "spread") if isinstance(value.get(part), int | float)}
            _try(document, path, fresh, name, {**value, **numbers})


def _span(document: Raw, path: Path, fresh: Raw, name: str, ui: Raw, before: Raw, known: type[Part] | None) -> None:
    """A shape of another kind is as large as the one before along its axes; along those of which that said nothing, as large as it was at most."""
    far: dict[str, float] = {}
    for other, field in known.model_fields.items() if known is not None else ():
        axes, times = fields.ui_of(field).get("spans", ("", 1.0))
        value = before.get(other)
        for place, axis in enumerate(axes):
            part = value[place] if isinstance(value, list) else value
            if isinstance(part, int | float):
                far[axis] = part * times
    if not far:
        return
    axes, times = ui["spans"]
    wanted = [far.get(axis, max(far.values())) / times for axis in axes]
    _try(document, path, fresh, name, wanted if isinstance(fresh[name], list) else max(wanted))


def _try(document: Raw, path: Path, node: Raw, name: str, value: Any) -> None:
    """Put a value into a field, unless something is wrong with that."""
    wrong, old = wrong_at(document, path), node[name]
    node[name] = value
    if wrong_at(document, path) <= wrong:
        return
    node[name] = old
    if isinstance(value, list) and isinstance(old, list) and len(value) > 1:
        # Of several, those that can stay.
        for entry in value:
            node[name] = [*node[name], entry]
            if wrong_at(document, path) > wrong:
                node[name] = node[name][:-1]


# ── Values that fit ─────────────────────────────────────────────────────────────────────────────────────────────────────


def _settle(document: Raw, path: Path, cls: type[Part], tell: Tell | None, chosen: Collection[str], kept: Collection[str]) -> None:
    """Give fields that follow an attribute or a quantity of the new part itself a value to begin with, but for those that were `kept` with it."""
    node = value_of(place_of(document, path))
    followed = {str(ui.get("value_from") or ui.get("unit_from") or "") for ui in map(fields.ui_of, cls.model_fields.values())}
    for name in sorted(followed - {""}):
        # A test that is added begins with its own default; one that takes over what another compared begins at what there is of that.
        if cls.model_fields[name].is_required() or name in chosen:
            _renew(document, path, cls, node, name, tell, added=name not in chosen, kept=kept if name in kept else ())


def _renew_around(document: Raw, path: Path, tell: Tell | None) -> None:
    """After a change at `path`: renew what follows the field that it is in, or the quantity around that."""
    for depth in range(len(path), 0, -1):
        place = place_of(document, path[:depth])
        if place.part is None or not isinstance(place.owner, dict) or (depth < len(path) and place.name != "quantity"):
            continue
        if depth == len(path) or (depth == len(path) - 1 and path[-1] == "attribute"):
            _renew(document, path[: depth - 1], place.part, place.owner, str(place.name), tell)


def _renew(
    document: Raw, path: Path, cls: type[Part], node: Raw, source: str, tell: Tell | None, added: bool = False, kept: Collection[str] = ()
) -> None:  # fmt: skip
    """Give whatever follows a field a value to begin with, but for what was `kept`; of a part that is `added`, only what says which: the others have
    good defaults."""
    dependents = [
        (name, ui) for name, ui in ((name, fields.ui_of(field)) for name, field in cls.model_fields.items())
        if source in (ui.get("value_from"), ui.get("unit_from")) and name not in kept
    ]  # fmt: skip
    if not dependents or source == "type":
        # What follows a type of its own has been renewed by the part itself (`Part.renewed`).
        return
    told = None
    if tell is not None:
        told = tell("quantity" if source == "quantity" else "attribute", node[source], _who(document, path))
    for name, ui in dependents:
        if added and not ui.get("suggest"):
            continue
        suggestion = str(ui.get("suggest") or "middle")
        if suggestion == "none":
            node[name] = cls.model_fields[name].get_default()
            continue
        value = (told or {}).get(suggestion)
        nothing = source == "attribute" and (not any(value) if isinstance(value, list | tuple) else value == 0)
        if value is None or nothing:
            # Where all have nothing of it yet, such as a spin, setting that would not be seen.
            value = _before_anything(node[source], source, suggestion, raw_table(document))
        node[name] = {"kind": "fixed", "value": value} if ui["type"] == "amount" else value


def _renew_users(document: Raw, attribute: str, path: Path, node: Any, tell: Tell | None) -> None:
    """Give whatever is set, added to or compared in an attribute that has become of another type a value of that type."""
    if isinstance(node, dict):
        part = place_of(document, (*path, "kind")).part
        if node.get("attribute") == attribute and part is not None:
            _renew(document, path, part, node, "attribute", tell)
        for name, value in list(node.items()):
            _renew_users(document, attribute, (*path, name), value, tell)
    elif isinstance(node, list):
        for index, entry in enumerate(node):
            _renew_users(document, attribute, (*path, index), entry, tell)


def _who(document: Raw, path: Path) -> list[str]:
    items = document.get(str(path[0]))
    item = items[int(path[1])] if len(path) > 1 and isinstance(items, list) and int(path[1]) < len(items) else {}
    who = item.get("who") if isinstance(item, dict) else None
    return [group for group in who if isinstance(group, str)] if isinstance(who, list) else []


def _before_anything(source: Any, sort: str, suggestion: str, table: Table) -> Any:
    """A value to begin with while nothing is known of the particles."""
    if sort == "attribute":
        info = table.get(str(source))
        start: Any = list(info.start) if info is not None and isinstance(info.start, tuple) else info.start if info is not None else 1.0
        if suggestion == "part":
            return [entry / 5 for entry in start] if isinstance(start, list) else start / 5 or 1.0
        if suggestion == "double" and info is not None and info.value_type == "number":
            return start * 2
        return start
    cls: Any = Kind.registry["quantity"].get(source.get("kind", "") if isinstance(source, dict) else "")
    low, high = cls.soft if cls is not None else (0.0, 1.0)
    start = cls.start if cls is not None and cls.start is not None else (low + high) / 2
    span = high - low
    value = {
        "middle": start, "lower": low + span / 4, "upper": high - span / 4, "lowest": low, "highest": high,
        "band": band_of(low, high) if span else 1.0, "part": span / 5, "double": start * 2,
    }[suggestion]  # fmt: skip
    return float(f"{value:.3g}")


