"""An amount of another kind in a place that takes numbers, vectors or colours within limits: with the value that there was, as far as it fits."""

from __future__ import annotations

from copy import deepcopy
from typing import Any

from hailridge.model import fields
from hailridge.model.attributes import WIDE, Table, expected_of, raw_table
from hailridge.model.dials import Dial
from hailridge.model.effect import freshly_named
from hailridge.model.kind import Kind, Path
from hailridge.model.places import Place, Raw, place_of, value_of, wrong_at


def fit_amount(document: Raw, path: Path, before: Any) -> None:
    """An amount of another kind keeps the value that there was, as far as its field takes it."""
    place = place_of(document, path)
    node = value_of(place)
    table = raw_table(document)
    expected, low, high = _expected(place, table)
    present = _largest(before)
    wide = expected in WIDE
    if present is None or isinstance(present, list) != wide:
        present = _natural(place, table)
    if present is None or isinstance(present, list) != wide:
        present = [1.0 if expected == "color" else 0.0] * 3 if wide else 0.0 if low is None else max(0.0, low)
    names = [name for name, field in Kind.registry["amount"][node["kind"]].model_fields.items() if fields.ui_of(field).get("type") == "value"]
    for name in names:
        node[name] = deepcopy(present)
    if isinstance(present, float | int):
        _fit_number(node, float(present), low, high)
    elif node["kind"] == "spread":
        node["spread"] = 0.1
    if node["kind"] == "curve":
        nothing = min(max(0.0, -1e30 if low is None else low), 1e30 if high is None else high)
        zero = present if expected == "color" else [0.0] * 3 if wide else nothing
        node["curve"] = {"keys": [{"at": 0.0, "value": present, "ease": "linear"}, {"at": 1.0, "value": zero, "ease": "linear"}]}
    if node["kind"] == "formula":
        # It begins with what there is: nothing changes before something is written.
        node["text"] = f"vec3({', '.join(f'{part:g}' for part in present)})" if wide else f"{present:g}"
    if node["kind"] == "first":
        node["attribute"] = _alike(place, wide, expected, table)
    if node["kind"] == "dial":
        _turn_dial(document, node, path, expected, present)


def _fit_number(node: Raw, present: float, low: float | None, high: float | None) -> None:
    if node["kind"] == "spread":
        spread = abs(present) * 0.2 or 0.1
        if low is not None and high is not None:
            spread = min(spread, (high - low) / 4)
            node["value"] = present = min(max(present, low + spread), high - spread)
        elif low is not None:
            spread = min(spread, present - low) or 0.1
            node["value"] = present = max(present, low + spread)
        node["spread"] = float(f"{spread:.3g}")
    elif "low" in node and "high" in node:
        node["low"] = float(f"{present * 0.25:.3g}") if low is None else max(low, float(f"{present * 0.25:.3g}"))


def _expected(place: Place, table: Table) -> tuple[str, float | None, float | None]:
    """Type and limits of an amount's field."""
    owner = place.owner if isinstance(place.owner, dict) else {}
    expected, low, high, _unit = expected_of(place.ui, owner, table)
    return ("number" if expected in ("change", "flag", "whole") else "vector" if expected == "orientation" else expected), low, high


def _largest(before: Any) -> Any:
    """The value of an amount that can best be seen: of a curve or keyframes the largest, so that another kind shows something."""
    if not isinstance(before, dict):
        return None
    curve = before.get("curve") or before.get("value")
    if isinstance(curve, dict) and curve.get("keys"):
        values = [key["value"] for key in curve["keys"]]
        return max(values) if not isinstance(values[0], list) else values[-1]
    for name in ("value", "high"):
        if isinstance(before.get(name), int | float | list):
            return before[name]
    return None


def _natural(place: Place, table: Table) -> Any:
    """A value to begin with where there was none that could be read: what the attribute begins with, or the field."""
    own = table.get(str(place.owner.get("attribute"))) if isinstance(place.owner, dict) else None
    if own is not None:
        return list(own.start) if isinstance(own.start, tuple) else own.start
    field = place.part.model_fields.get(str(place.name)) if place.part is not None else None
    default = field.get_default(call_default_factory=True) if field is not None and not field.is_required() else None
    value = getattr(default, "value", default.get("value") if isinstance(default, dict) else default)
    return list(value) if isinstance(value, tuple) else value if isinstance(value, int | float | list) else None


def _alike(place: Place, wide: bool, expected: str, table: Table) -> str:
    """An attribute whose first value fits here: the one that is written, or one of its type."""
    own = place.owner.get("attribute") if isinstance(place.owner, dict) else None
    if isinstance(own, str) and own in table:
        return own
    limits = (place.ui.get("low"), place.ui.get("high"))
    fitting = [info.id for info in table.values() if (info.value_type == expected) or (not wide and info.value_type == "number")]
    inside = [name for name in fitting if _within((table[name].low, table[name].high), limits)]
    return next(iter(inside or fitting), "radius")


def _within(inner: tuple[float | None, float | None], outer: tuple[float | None, float | None]) -> bool:
    above = outer[0] is None or (inner[0] is not None and inner[0] >= outer[0])
    return above and (outer[1] is None or (inner[1] is not None and inner[1] <= outer[1]))


def _unit(place: Place, table: Table) -> str:
    """The unit of what an amount's field takes: its own, that of the attribute beside it, or that of the quantity that it is held against."""
    owner = place.owner if isinstance(place.owner, dict) else {}
    own = expected_of(place.ui, owner, table)[3]
    against = owner.get("quantity")
    if own or not isinstance(against, dict):
        return own
    read = table.get(str(against.get("attribute")))
    return read.unit if read is not None else str(getattr(Kind.registry["quantity"].get(str(against.get("kind"))), "unit", ""))


def _plain(value: Any) -> Any:
    """A value that a dial may go back to: keyframes are none."""
    return None if isinstance(value, dict) else deepcopy(value)


def _turn_dial(document: Raw, node: Raw, path: Path, expected: str, present: Any) -> None:
    """The newest dial that fits here, or a new one with the value that there was."""
    for dial in reversed(document.get("dials", [])):
        node["dial"] = dial["id"]
        if dial.get("type") == expected and wrong_at(document, path) == 0:
            return
    dials = document.setdefault("dials", [])
    identifier, label = freshly_named("Dial", dials)
    units = fields.ui_of(Dial.model_fields["unit"])["words"]
    unit = _unit(place_of(document, path), raw_table(document))
    made = Dial(id=identifier, label=label, type=expected)  # type: ignore[arg-type]
    dials.append(made.model_dump() | {"unit": unit if unit in units else "", "value": deepcopy(present), "standard": _plain(present)})
    node["dial"] = identifier


