"""Findings about contact: nobody to let go, answers that never count, a first guess for how near together drops are that let go."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from hailridge.core.kinds.actions.contact import LetGo, Meeting, Slide, Stick
from hailridge.core.kinds.actions.keeping import Keep
from hailridge.core.kinds.conditions.tests import Compare
from hailridge.core.kinds.quantities.found import FoundCount
from hailridge.core.kinds.quantities.neighbours import NeighbourCount
from hailridge.core.looking.advisory import Advisory
from hailridge.core.space.geometry import Geometry
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

GONE = 0.01
"""A scale at which a shape is as good as not there."""


def contact_advice(effect: Effect) -> Iterator[Advisory]:
    """What is told of bouncing, sticking, sliding and letting go."""
    yield from _nobody_held(effect)
    yield from _never_counts(effect)
    yield from _gathering(effect)
    yield from _regions(effect)
    yield from _out_of_nothing(effect)


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


def _regions(effect: Effect) -> Iterator[Advisory]:
    """Regions to keep in that enclose nothing, or less than a particle."""
    shapes: dict[str, Any] = {vars(shape)["id"]: shape for shape in effect.shapes}
    radius, whose = max(((source.radius.extent()[1], source.label) for source in effect.sources if source.enabled), default=(0.0, ""))
    for path, part in parts_of(effect):
        if not isinstance(part, Keep) or part.side == "inside" or part.response in ("wrap", "brake"):
            continue
        shape = shapes.get(part.shape)
        if shape is None or shape.kind in ("mesh", "compound"):
            # What they are made of is known only where they are.
            continue
        item, geometry = [*path, "shape"], shape.local(None)
        assert isinstance(geometry, Geometry)
        if not geometry.has_inside:
            text = f"Nobody can be inside '{shape.label}', which encloses nothing: everybody counts as outside. Choose a closed shape."
            yield Advisory("warning", item, text)
            continue
        low, high = geometry.bounds
        across = float((high - low).min()) * shape.scale
        if part.response != "remove" and "scale" not in shape.tracks and across < 2 * radius < float("inf"):
            text = f"'{shape.label}' is {across:.2g} m across, a particle of '{whose}' up to {2 * radius:.2g} m: what is kept in is its middle."
            yield Advisory("advice", item, text)


def _out_of_nothing(effect: Effect) -> Iterator[Advisory]:
    """Obstacles that shrink to nothing and come back where somebody may be by then."""
    met = {part.shape for _path, part in parts_of(effect) if isinstance(part, Meeting)}
    for index, shape in enumerate(effect.shapes):
        curve = shape.tracks.get("scale")
        if curve is None or vars(shape)["id"] not in met:
            continue
        scales = [(key.at, key.value) for key in curve.keys if isinstance(key.value, float)]
        gone = next((at for at, scale in scales if scale < GONE), None)
        if gone is not None and any(at > gone and scale >= GONE for at, scale in scales):
            text = (
                f"'{vars(shape)['label']}' is as good as gone at {gone:g} s and grows again: whoever is there by then is put beside it at once. "
                "To let them through, switch what it does to them off in that time."
            )
            yield Advisory("advice", ["shapes", index, "scale"], text)


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
