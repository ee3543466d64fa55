"""Findings about contact: nobody to let go, answers that never count, a first guess for how near together drops are that let go."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from hailridge.core.kinds.actions.contact import LetGo, Meeting, Slide, Stick
from hailridge.core.kinds.conditions.tests import Compare
from hailridge.core.kinds.quantities.found import FoundCount
from hailridge.core.kinds.quantities.neighbours import NeighbourCount
from hailridge.core.looking.advisory import Advisory
from hailridge.model.effect import Effect
from hailridge.model.kind import parts_of
from hailridge.model.neighbourhoods import Neighbourhood

APART = 1.25
"""A cut-off is told of that is as it came, and this many times as far as the first guess, or as near."""


AS_IT_CAME = {
    float(kind.model_fields[name].get_default(call_default_factory=True)["value"])
    for kind, name in ((NeighbourCount, "distance"), (Neighbourhood, "reach"))
}
"""Reaches (m) that nobody has chosen yet."""


def contact_advice(effect: Effect) -> Iterator[Advisory]:
    """What is told of bouncing, sticking, sliding and letting go."""
    yield from _nobody_held(effect)
    yield from _never_counts(effect)
    yield from _gathering(effect)


def _nobody_held(effect: Effect) -> Iterator[Advisory]:
    parts = list(parts_of(effect))
    if any(isinstance(part, Stick | Slide) for _path, part in parts):
        return
    for path, part in parts:
        if isinstance(part, LetGo):
            yield Advisory("advice", list(path), "Nothing holds anybody that could be let go: no rule has them *stick to* or *slide along* a shape.")


def _never_counts(effect: Effect) -> Iterator[Advisory]:
    """Two answers to one shape in one list: only the lower one counts."""
    for index, rule in enumerate(effect.rules):
        for name in ("actions", "otherwise"):
            below: dict[str, str] = {}
            for place, action in reversed(list(enumerate(getattr(rule, name)))):
                if not isinstance(action, Meeting):
                    continue
                if action.shape in below:
                    label = next((str(vars(shape)["label"]) for shape in effect.shapes if vars(shape)["id"] == action.shape), "the shape")
                    text = f"This never counts: *{below[action.shape]}* below it is about '{label}', too, and the lower one counts."
                    path = ["rules", index, name, place]
                    yield Advisory("advice", path, text, {"path": path, "remove": True, "label": "Remove it"})
                below[action.shape] = action.title


def _gathering(effect: Effect) -> Iterator[Advisory]:
    """Where many together let go: so many side by side are as far across as their number times their size (common practice, no source)."""
    sizes = [value for source in effect.sources if isinstance(value := getattr(source.radius, "value", None), float)]
    if not sizes:
        return
    size = 2 * sum(sizes) / len(sizes)
    for index, rule in enumerate(effect.rules):
        if rule.condition is None or not any(isinstance(action, LetGo) for action in rule.actions):
            continue
        for _path, part in parts_of(rule.condition):
            number = getattr(getattr(part, "threshold", None), "value", None)
            if not isinstance(part, Compare) or not isinstance(number, float) or number < 2 or part.comparison not in ("above", "at_least"):
                continue
            where = _reach_of(effect, index, _path, part.quantity)
            if where is None:
                continue
            path, reach = where
            guess = float(f"{number * size:.2g}")
            if reach in AS_IT_CAME and not guess / APART <= reach <= guess * APART:
                text = f"{number:g} gathered side by side are {number:g} × {size:.2g} = {guess:g} m across; looked for are they within {reach:g} m."
                yield Advisory("advice", path, text, {"path": path, "value": {"kind": "fixed", "value": guess}, "label": f"Take {guess:g} m"})


def _reach_of(effect: Effect, rule: int, path: Any, quantity: Any) -> tuple[list[str | int], float] | None:
    """Where the reach of a count stands in the document, and what it is (m); None where it is no fixed one."""
    if isinstance(quantity, FoundCount):
        for index, hood in enumerate(effect.neighbourhoods):
            value = getattr(hood.reach, "value", None)
            if hood.id == quantity.neighbourhood and isinstance(value, float):
                return ["neighbourhoods", index, "reach"], value
    if isinstance(quantity, NeighbourCount):
        value = getattr(quantity.distance, "value", None)
        if isinstance(value, float):
            return ["rules", rule, "condition", *path, "quantity", "distance"], value
    return None
