"""Declaring document fields: one helper a field type, each giving validation, default, unit, range, wording and help at once."""

from __future__ import annotations

from copy import deepcopy
from typing import Any, Literal, cast

from pydantic import Field

# Hard limits (low, high) are refused when broken; the soft range is what a slider spans.
Range = tuple[float, float]

Suggestion = Literal["middle", "lower", "upper", "lowest", "highest", "band", "part", "double", "none"]
"""What of a quantity's present values a value begins at: their median, quartiles; round or natural ends of them; a round band, of which some six
span them; a fifth of their size; twice their size; nothing of them, but its default."""


def _field(default: Any, ui: dict[str, Any], **checks: Any) -> Any:
    shown = {key: value for key, value in ui.items() if value is not None}
    return Field(default, description=ui.get("help") or None, json_schema_extra={"ui": cast(Any, shown)}, **checks)


def number(
    default: float, *, unit: str = "", low: float | None = None, high: float | None = None, soft: Range | None = None,
    step: float | None = None, label: str = "", help: str = "", whole: bool = False, still: bool = False, per_frame: str = "",
    unit_from: str | None = None, suggest: Suggestion | None = None, variants: dict[str, dict[str, dict[str, Any]]] | None = None,
    measures: Literal["frames", "seconds"] | None = None, straight: bool = False,
) -> Any:
    """A plain number. `unit` is one of `model.units.UNITS`; times are seconds.

    `still` numbers cannot have keyframes (nor can whole ones): they say when something happens, or how the clock runs. `per_frame` asks
    the interface for what the number means for one frame: "halving" (a half-life), "factor" (a factor a second) or "points" (one each frame).
    `unit_from` names the sibling quantity whose unit it has, `suggest` what of that quantity's present values it begins at. `variants`
    says what is declared differently where a sibling has a certain value: {sibling: {value: {label: …}}}. `measures` lets numbers of frames and
    seconds that take each other's place mean the same. `straight`: its keyframes begin without an easing.
    """
    ui = {"type": "whole" if whole else "number", "unit": unit, "low": low, "high": high, "soft": soft, "step": step,
          "label": label, "help": help, "still": True if still and not whole else None, "per_frame": per_frame or None,
          "unit_from": unit_from, "suggest": suggest, "variants": variants, "measures": measures, "straight": straight or None}  # fmt: skip
    return _field(default, ui, ge=low, le=high)


def amount(
    default: float | list[float], *, unit: str = "", low: float | None = None, high: float | None = None,
    soft: Range | None = None, value: str = "number", label: str = "", help: str = "", value_from: str | None = None, per_frame: str = "",
    suggest: Suggestion | None = None, measures: Literal["frames", "seconds"] | None = None,
) -> Any:
    """A value that may vary from particle to particle.

    `value` is number, vector or color; `value_from` names the sibling field (an attribute or a quantity) that decides unit and
    type instead; `value` change then frees it from the attribute's limits, since it is added to what is there. `suggest` says what of the present
    values it begins at; `measures` is as for numbers.
    """
    ui = {"type": "amount", "unit": unit, "low": low, "high": high, "soft": soft, "value": value, "label": label, "help": help,
          "value_from": value_from, "per_frame": per_frame or None, "suggest": suggest,
          "measures": measures}  # fmt: skip
    return _field({"kind": "fixed", "value": default}, ui)


def vector(default: list[float], *, unit: str = "", label: str = "", help: str = "", still: bool = False) -> Any:
    return _field(default, {"type": "vector", "unit": unit, "label": label, "help": help, "still": still or None}, min_length=3, max_length=3)


def points(default: list[list[float]], *, label: str = "", help: str = "") -> Any:
    """A list of places in the item's own space, to be dragged on the stage."""
    return _field(default, {"type": "points", "unit": "m", "label": label, "help": help})


def color(default: list[float], *, label: str = "", help: str = "") -> Any:
    """A colour as three sRGB-encoded numbers 0–1."""
    return _field(default, {"type": "color", "label": label, "help": help}, min_length=3, max_length=3)


def flag(default: bool, *, label: str = "", help: str = "", yes: str = "yes", no: str = "no") -> Any:
    return _field(default, {"type": "flag", "label": label, "help": help, "yes": yes, "no": no})


def choice(
    default: str, words: dict[str, str], *, label: str = "", help: str = "", renews: bool = False, opens: dict[str, str] | None = None,
) -> Any:  # fmt: skip
    """One of a few words; `words` maps the stored word to the one read in the score. One that `renews` decides what its siblings may be
    (`Part.renewed`). `opens` names, by word, the sibling whose keyframes say the rest."""
    return _field(default, {"type": "choice", "words": words, "label": label, "help": help, "renews": renews or None, "opens": opens})


def text(default: str, *, label: str = "", help: str = "", longest: int = 400) -> Any:
    return _field(default, {"type": "text", "label": label, "help": help}, max_length=longest)


def formula(default: str, *, lookups: dict[str, str], label: str = "", help: str = "") -> Any:
    """Text in the formula language (`core.formulas`); `lookups` maps each call that takes a name in quotes to what it names."""
    return _field(default, {"type": "formula", "lookups": lookups, "label": label, "help": help}, max_length=2000)


def value(default: float | list[float], *, label: str = "") -> Any:
    """A number, a vector or a colour, as the amount around it, or the type beside it, decides."""
    return _field(default, {"type": "value", "label": label})


def only_where(field: Any, **siblings: tuple[str, ...]) -> Any:
    """A field that means something only where siblings have certain values: elsewhere it is not offered."""
    field.json_schema_extra["ui"]["only_where"] = {name: list(values) for name, values in siblings.items()}
    return field


def spanning(field: Any, axes: str, times: float = 1.0) -> Any:
    """A number that says how far a shape spans along these of its own axes, once or `times` itself: another kind of shape takes that over. A vector
    spans all three, each by its own part."""
    field.json_schema_extra["ui"]["spans"] = [axes, times]
    return field


def curve(default: list[dict[str, Any]], *, along: str, label: str = "", help: str = "") -> Any:
    """A curve through keys; `along` names the sibling field that says what it follows (a share of life, seconds)."""
    keys = [{"ease": "linear", **key} for key in default]
    return _field({"keys": keys}, {"type": "curve", "along": along, "label": label, "help": help})


def ramp(default: dict[str, Any], *, label: str = "", help: str = "") -> Any:
    """Colours from 0 to 1 (`model.ramps.Ramp`)."""
    return _field(default, {"type": "ramp", "label": label, "help": help})


def colors(default: list[list[float]], *, label: str = "", help: str = "", most: int = 64) -> Any:
    """A list of colours, each three sRGB-encoded numbers 0–1."""
    return _field(default, {"type": "colors", "label": label, "help": help}, min_length=1, max_length=most)


def numbers(default: list[float], *, label: str = "", help: str = "", optional: str = "", most: int = 256) -> Any:
    """A list of numbers from 0 on, typed with spaces between; `optional` is the word read for none."""
    return _field(default, {"type": "numbers", "label": label, "help": help, "optional": optional}, max_length=most)


def reference(to: str, *, label: str = "", help: str = "", optional: str = "", many: str = "", only: tuple[str, ...] = (),
              but: tuple[str, ...] = (), makes: dict[str, Any] | None = None, other: bool = False) -> Any:  # fmt: skip
    """The id of something else in the document.

    `to` is shape, group or attribute; `optional` is the word read when nothing is named; `many` the word for an empty list; `only` the kinds of
    things that can be named, where not all can; `but` ids that are not offered; `makes` that a
    new part gets a new thing of its own, with these values; `other` that it begins with none of those that it is about.
    """
    ui = {"type": "references" if many else "reference", "to": to, "label": label, "help": help, "optional": optional, "many": many}
    if makes is not None:
        ui["makes"] = makes  # type: ignore[assignment]
    if other:
        ui["other"] = True  # type: ignore[assignment]
    if only:
        ui["only"] = list(only)  # type: ignore[assignment]
    if but:
        ui["but"] = list(but)  # type: ignore[assignment]
    if many:
        return Field(default_factory=list, description=help or None, json_schema_extra={"ui": cast(Any, ui)})
    return _field(None if optional else ..., ui)


def asset(to: str, default: str, *, label: str = "", help: str = "") -> Any:
    """The id of something that the library keeps beside documents (a picture set); `default` is one that ships."""
    return _field(default, {"type": "asset", "to": to, "label": label, "help": help}, max_length=80)


def collection(word: str, *, most: int, computed: bool = True, shown: tuple[str, ...] = ()) -> Any:
    """A list of items of a document (`model.collections`): the word for one of them, how many there may be, whether they decide the bytes of a run,
    and what of them is only shown, besides labels."""
    ui = {"type": "collection", "word": word, "computed": computed, "shown": list(shown)}
    return Field(default_factory=list, max_length=most, json_schema_extra={"ui": cast(Any, ui)})


def slot(name: str, default: dict[str, Any] | None = None, *, label: str = "", help: str = "", many: bool = False, optional: str = "",
         begin: list[dict[str, Any]] | None = None) -> Any:  # fmt: skip
    """A nested kind: a quantity, a condition, a direction; `many`: a list of them, which begins with those of `begin`."""
    ui = {"type": "slot", "slot": name, "label": label, "help": help, "many": many or None, "optional": optional or None}
    if many:
        first = [{**entry, "id": str(place)} for place, entry in enumerate(begin or [])]
        extra = {"ui": cast(Any, {**ui, "many": True})}
        return Field(default_factory=lambda: deepcopy(first), description=help or None, json_schema_extra=extra, max_length=32)
    return _field(default, ui)


KEYABLE = ("number", "vector", "color", "value")


def keyable(field: Any) -> bool:
    """Whether keyframes may stand in the place of a field's value."""
    ui = ui_of(field)
    return ui.get("type") in KEYABLE and not ui.get("still")


def ui_of(field: Any) -> dict[str, Any]:
    """What the helpers above recorded for the interface; empty for fields that it does not show."""
    extra = field.json_schema_extra
    return dict(extra["ui"]) if isinstance(extra, dict) and "ui" in extra else {}
