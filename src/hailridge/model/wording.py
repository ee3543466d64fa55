"""Problems and places in words: "rule 2 'Shatter', condition, threshold: has to be a number"."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from difflib import get_close_matches
from functools import cache
from typing import Any, get_args

from pydantic import ValidationError

from hailridge.model import fields
from hailridge.model.collections import COLLECTIONS
from hailridge.model.effect import Effect, numbered
from hailridge.model.kind import Kind, Part, Path


@dataclass(frozen=True)
class Problem:
    """One thing wrong with a document. `path` finds it in the JSON, `place` says where in words, `text` what and why."""

    path: Path
    place: str
    text: str
    only_there: bool = False
    """Whether no more than what stands at `path` is left out of the run, and not the whole rule or source."""

    def as_dict(self) -> dict[str, Any]:
        return asdict(self)

    def __str__(self) -> str:
        return f"{self.place}: {self.text}" if self.place else self.text


def place_in_words(raw: Any, path: Path) -> str:
    """Name a place in a document the way an artist sees it: "rule 2 'Shatter', condition, threshold"."""
    words: list[str] = []
    node = raw
    previous: str | int = ""
    for key in path:
        node = _step_into(node, key)
        if isinstance(key, int) and isinstance(previous, str):
            singular = COLLECTIONS[previous].word if previous in COLLECTIONS else None
            label = node.get("label") or (node.get("id") if singular else None) if isinstance(node, dict) else None
            if words and words[-1] == previous:
                words.pop()
            number = _rule_number(raw, key) if previous == "rules" else key + 1
            words.append(f"{singular or previous.rstrip('s')} {number}" + (f" '{label}'" if isinstance(label, str) else ""))
        elif isinstance(key, str):
            said = _label(previous, key) or key.replace("_", " ")
            words.append(said if key in COLLECTIONS or key not in _all_tags() else "")
        previous = key
    return ", ".join(word for word in words if word)


def _label(part: str | int, name: str) -> str:
    """What a value of the clock or of the picture is called where it is edited."""
    field = fixed_part((part,)).model_fields.get(name) if part in ("clock", "picture") else None
    label = str(fields.ui_of(field).get("label", "")) if field is not None else ""
    return label[:1].lower() + label[1:]


def _rule_number(raw: Any, index: int) -> int:
    rules = raw.get("rules") if isinstance(raw, dict) else None
    if not isinstance(rules, list) or not 0 <= index < len(rules):
        return index + 1
    return numbered([str(rule.get("trigger", "each")) if isinstance(rule, dict) else "each" for rule in rules])[index]


@cache
def _all_tags() -> set[str]:
    # Pydantic puts the tag of a union's chosen kind into error paths; it is no place of its own.
    tags = {tag for members in Kind.registry.values() for tag in members}
    return tags - {name for members in Kind.registry.values() for kind in members.values() for name in kind.model_fields}


def _step_into(node: Any, key: str | int) -> Any:
    if isinstance(node, dict) and key in node:
        return node[key]
    if isinstance(node, list) and isinstance(key, int) and key < len(node):
        return node[key]
    return node if isinstance(key, str) else None


def problem_at(raw: Any, path: Path, text: str) -> Problem:
    """`raw` is the document, or gives it when asked."""
    return Problem(path, place_in_words(raw() if callable(raw) else raw, path), text)


def nearest(name: Any, known: Any) -> str:
    close = get_close_matches(str(name), [str(entry) for entry in known if entry != name], n=1)
    return f"; did you mean '{close[0]}'?" if close else ""


def in_words(error: ValidationError, raw: dict[str, Any]) -> list[Problem]:
    found = []
    for entry in error.errors(include_url=False)[:20]:
        path, context = tuple(entry["loc"]), entry.get("ctx", {})
        text = entry["msg"][0].lower() + entry["msg"][1:]
        match entry["type"]:
            case "extra_forbidden":
                siblings = _step_into_all(raw, path[:-1])
                text = f"unknown field '{path[-1]}'" + nearest(path[-1], _fields_beside(siblings, path[:-1]))
            case "missing":
                text = "is missing"
            case "finite_number":
                text = "has to be a finite number, not NaN or infinity"
            case "greater_than_equal":
                text = f"is {entry['input']:g}, but cannot be below {context['ge']:g}"
            case "less_than_equal":
                text = f"is {entry['input']:g}, but cannot be above {context['le']:g}"
            case "union_tag_invalid":
                tag = context.get("tag", "")
                known = str(context.get("expected_tags", "")).replace("'", "").split(", ")
                text = f"there is no kind '{tag}' here" + nearest(tag, known)
            case "union_tag_not_found":
                text = "has to say its kind"
            case "string_too_short":
                text = "cannot be empty"
            case "string_pattern_mismatch" if path and path[-1] == "id":
                text = "an id is made of small letters, digits, - and _"
        found.append(problem_at(raw, path, text))
    return found


def _step_into_all(raw: Any, path: Path) -> Any:
    for key in path:
        raw = _step_into(raw, key)
    return raw


def _fields_beside(node: Any, path: Path) -> list[str]:
    """The fields that a part at a place has."""
    if not isinstance(node, dict):
        return []
    tag = node.get("kind")
    names: set[str] = set()
    for members in Kind.registry.values():
        if isinstance(tag, str) and tag in members:
            names |= set(members[tag].model_fields)
    return sorted(names or fixed_part(path).model_fields)


def fixed_part(path: Path) -> type[Part]:
    """The fixed part of a document (the effect itself, its clock, a rule) at a place, or that around it."""
    found: type[Part] = Effect
    for key in path:
        field = found.model_fields.get(key) if isinstance(key, str) else None
        inner = [part for part in (get_args(field.annotation) or (field.annotation,)) if isinstance(part, type)] if field is not None else []
        found = next((part for part in inner if issubclass(part, Part)), found)
    return found
