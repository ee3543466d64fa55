"""Where actions may stand: each says so itself (`Action.places`); what stands elsewhere could do nothing and is left out of the run."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from hailridge.model.effect import TRIGGER_PLACES, Effect
from hailridge.model.kind import Path
from hailridge.model.parts import Action, Place

PLACE_WORDS: dict[Place, str] = {
    "birth": "on birth", "step": "at each step", "moment": "once or on a moment", "contact": "on contact", "death": "on death",
    "otherwise": "in an 'otherwise'",
}  # fmt: skip


def stands_in(document: dict[str, Any], path: Path) -> Place:
    """Where an action in this list, or at a place in it, stands: by its rule's trigger; what a source does is done on birth."""
    rules = document.get("rules")
    if path[0] != "rules" or not isinstance(rules, list):
        return "birth"
    return TRIGGER_PLACES.get(str(rules[int(path[1])].get("trigger", "each")), "step")


def misplaced(effect: Effect) -> Iterator[tuple[Path, str]]:
    """Every action that stands where it could do nothing: its path, and why in words."""
    for index, source in enumerate(effect.sources):
        for number, action in enumerate(source.actions):
            yield from _judged(("sources", index, "actions", number), action, ["birth"])
    for index, rule in enumerate(effect.rules):
        stands = TRIGGER_PLACES[rule.trigger]
        for number, action in enumerate(rule.actions):
            yield from _judged(("rules", index, "actions", number), action, [stands])
        for number, action in enumerate(rule.otherwise):
            yield from _judged(("rules", index, "otherwise", number), action, [stands, "otherwise"])


def _judged(path: Path, action: Action, needed: list[Place]) -> Iterator[tuple[Path, str]]:
    wrong = next((place for place in needed if place not in action.stands), None)
    if wrong is not None:
        works = " or ".join(PLACE_WORDS[place] for place in action.stands if place != "otherwise")
        yield path, f"'{action.title}' cannot act {PLACE_WORDS[wrong]}: it works {works}"
