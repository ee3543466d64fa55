"""Advisories before a run: what in a document will probably not do what was meant, each with its item and where possible a fix."""

from __future__ import annotations

from collections.abc import Collection, Iterator
from typing import Any

from hailridge.core.kinds.actions.change import Add, Multiply
from hailridge.core.kinds.actions.spawn import PACES, Spawn
from hailridge.core.kinds.amounts.curve import OverCurve
from hailridge.core.kinds.amounts.spread import Spread
from hailridge.core.kinds.births.emissions import Fill
from hailridge.core.kinds.births.placements import Along, Listed
from hailridge.core.looking.advisory import Advisory, Path
from hailridge.core.looking.contact_advisories import contact_advice
from hailridge.core.looking.look_advisories import look_advisories
from hailridge.core.looking.order import order_advisories, subject
from hailridge.core.looking.value_advisories import value_advisories
from hailridge.core.looking.ways_out import ways_out
from hailridge.model.effect import Effect, Rule
from hailridge.model.kind import parts_of, references
from hailridge.model.parts import Condition


def advise(effect: Effect, pictures: Collection[str] | None = None) -> list[Advisory]:
    """All advisories that the document alone gives; `pictures` are the ids of picture sets that there are, where that is known."""
    return [
        *_left_out(effect), *_nothing_to_see(effect), *_unused(effect), *order_advisories(effect), *_amounts(effect), *_growth(effect),
        *_times(effect), *value_advisories(effect), *_places(effect), *_read_once(effect), *look_advisories(effect, pictures),
        *contact_advice(effect),
    ]  # fmt: skip


def _left_out(effect: Effect) -> Iterator[Advisory]:
    """What is wrong with a rule, field or look: the run goes on without it."""
    for problem in effect.problems:
        path, fix = problem.path, None
        if problem.only_there and path[0] == "rules" and effect.rules[path[1]].trigger != "each":
            fix = {"path": ["rules", path[1], "trigger"], "value": "each", "label": "Act at each step"}
        yield Advisory("error", list(path), f"{problem}. The run goes on without it.", fix)


def _nothing_to_see(effect: Effect) -> Iterator[Advisory]:
    sources = [source for source in effect.sources if source.enabled]
    if not sources:
        yield Advisory("warning", ["sources"], "Nothing can be seen: no source gives birth to particles. Add a source.")
    for index, source in enumerate(effect.sources):
        if source.enabled and source.lifetime.extent()[1] <= 0:
            yield Advisory("warning", ["sources", index, "lifetime"], f"'{source.label}' gives birth to particles that live for no time at all.")
        if source.enabled and source.radius.extent()[1] <= 0 and not _drawn_anyway(effect):
            fix = {"path": ["sources", index, "radius"], "value": {"kind": "fixed", "value": 0.05}, "label": "Make it 0.05 m"}
            text = f"Nothing can be seen of '{source.label}': its particles have a radius of 0, and no look keeps tiny ones in sight."
            yield Advisory("warning", ["sources", index, "radius"], text, fix)
        if source.enabled and source.opacity.extent()[1] <= 0:
            text = f"Nothing can be seen of '{source.label}': its particles are born with an opacity of 0."
            yield Advisory("warning", ["sources", index, "opacity"], text)
        if source.emission.begins() > effect.clock.duration:
            yield Advisory("advice", ["sources", index, "emission"], f"'{source.label}' begins only after the clock has ended.")


def _drawn_anyway(effect: Effect) -> bool:
    """Whether particles without any radius are still seen: as dots, kept in sight, or where no look draws them at all."""
    looks: list[Any] = [look for index, look in enumerate(effect.looks) if effect.works("looks", index)]
    return not looks or any(look.kind == "dots" or getattr(look, "tiny", False) for look in looks)


def _unused(effect: Effect) -> Iterator[Advisory]:
    named = {source.group for source in effect.sources} | {group.parent for group in effect.groups}
    for _path, part in parts_of(effect):
        named |= {value for name in ("group", "who", "to", "among") for value in _as_list(getattr(part, name, None))}
    for index, group in enumerate(effect.groups):
        if group.id not in named:
            fix = {"path": ["groups", index], "remove": True, "label": "Remove it"}
            yield Advisory("advice", ["groups", index], f"The group '{group.label}' is used nowhere.", fix)
    for to, collection in (("field", "fields"), ("dial", "dials"), ("neighbourhood", "neighbourhoods")):
        used = {value for _path, value in references(effect, to)}
        for index, item in enumerate(getattr(effect, collection)):
            if item.id not in used:
                fix = {"path": [collection, index], "remove": True, "label": "Remove it"}
                yield Advisory("advice", [collection, index], f"The {to} '{item.label}' is used nowhere.", fix)


def _times(effect: Effect) -> Iterator[Advisory]:
    """Times that look like numbers of frames, and keyframes that nobody will see."""
    fps, duration = effect.clock.frames_per_second, effect.clock.duration
    for index, source in enumerate(effect.sources):
        value = getattr(source.lifetime, "value", None)
        # Whole seconds, as artists count frames and not seconds (48, 72, 96), and longer than anything here lasts.
        if not isinstance(value, float) or not fps <= value <= 2000 or value % 12 or value % 10 == 0:
            continue
        if duration < value / 2 and value / fps < duration * 2:
            fix = {"path": ["sources", index, "lifetime", "value"], "value": round(value / fps, 4), "label": f"Make it {value:g} frames"}
            text = f"'{source.label}' lives {value:g} s, far longer than the clock runs. Were {value:g} frames meant ({value / fps:.2f} s)?"
            yield Advisory("advice", ["sources", index, "lifetime"], text, fix)
    for path, part in parts_of(effect):
        for name, curve in part.tracks.items():
            late = [key.at for key in curve.keys if key.at > duration + 1e-6]
            if late:
                what = "Every keyframe" if len(late) == len(curve.keys) else f"{len(late)} of {len(curve.keys)} keyframes"
                text = f"{what} of '{name.replace('_', ' ')}' lies beyond the end of the clock ({duration:g} s), the last at {late[-1]:g} s."
                yield Advisory("advice", [*path, name], text)
    clock = effect.clock
    if clock.time_from == "curve" and "effect_time" not in clock.tracks:
        text = "Time comes from a curve that has no keyframes: the effect stands still. Give 'time of the effect' keyframes."
        keys = [{"at": at, "value": at, "ease": "linear"} for at in (0.0, duration)]
        fix = {"path": ["clock", "effect_time"], "value": {"keys": keys}, "label": "Begin with the clock's own time"}
        yield Advisory("warning", ["clock"], text, fix)


def _places(effect: Effect) -> Iterator[Advisory]:
    """Lattices too coarse or too fine for their shape, and births at every place where places cannot be counted."""
    shapes: dict[str, Any] = {shape.id: shape for shape in effect.shapes}  # type: ignore[attr-defined]
    for index, source in enumerate(effect.sources):
        item: Path = ["sources", index, "placement"]
        if isinstance(source.emission, Fill) and not isinstance(source.placement, Listed | Along):
            text = f"'{source.label}' gives birth at every place, but 'on the surface' or 'inside' have no places to count: nothing is born."
            fix = {"path": item, "value": {"kind": "lattice"}, "label": "Use a lattice"}
            yield Advisory("warning", item, text, fix)
        spacing = getattr(source.placement, "spacing", getattr(source.placement, "distance", None))
        shape = shapes.get(source.shape)
        if not isinstance(spacing, float) or shape is None or shape.kind in ("mesh", "compound") or not isinstance(source.placement, Listed):
            continue
        low, high = shape.local(None).bounds
        sides = sorted(float(side) for side in (high - low) if side > 1e-6)
        if shape.kind == "box" and len(sides) == 3 and spacing <= sides[0] < sides[1] / 3:
            # A flat box that holds a layer or two is meant to be a sheet of places.
            sides = sides[1:]
        if sides and spacing > sides[0] / 3:
            wanted = float(f"{sides[0] / 10:.2g}")
            text = (
                f"The lattice of '{source.label}' is coarse for its shape: a point every {spacing:g} m, while the shape is {sides[0]:g} m at its "
                "narrowest. Few or no particles will appear."
            )
            name = "spacing" if hasattr(source.placement, "spacing") else "distance"
            yield Advisory("advice", [*item, name], text, {"path": [*item, name], "value": wanted, "label": f"Make it {wanted:g} m"})
        cells = 1.0
        for side in sides:
            cells *= max(1.0, side / spacing)
        if cells > effect.clock.particle_budget and isinstance(source.emission, Fill):
            budget = effect.clock.particle_budget
            text = f"'{source.label}' has about {cells:,.0f} places, more than the particle budget of {budget:,}; births will stop there."
            yield Advisory("warning", item, text)


def _read_once(effect: Effect) -> Iterator[Advisory]:
    """First values are read once: a curve over life there gives only its beginning."""
    for index, source in enumerate(effect.sources):
        for name in ("radius", "color", "opacity", "mass"):
            amount = getattr(source, name)
            if isinstance(amount, OverCurve) and amount.over != "time":
                text = f"'{source.label}' reads the curve of its {name} only at birth, so it never changes. A rule can follow it over life."
                fix = {"path": [], "value": _as_a_rule(effect, index, name, amount), "label": "Make it a rule"}
                yield Advisory("advice", ["sources", index, name], text, fix)


def _as_a_rule(effect: Effect, index: int, name: str, amount: OverCurve) -> dict[str, Any]:
    """The whole document with a curve of a first value moved into a rule of its own; the first value stays what it was at birth."""
    document = effect.model_dump()
    source = document["sources"][index]
    taken = {rule["id"] for rule in document["rules"]}
    stem = f"{source['id'][:26]}-{name}"
    identifier = next(given for given in (stem, *(f"{stem}-{n}" for n in range(2, 300))) if given not in taken)
    rule = {
        "id": identifier, "label": f"{name.capitalize()} over life", "who": [source["group"]],
        "actions": [{"kind": "set", "attribute": name, "amount": amount.model_dump()}],
    }  # fmt: skip
    document["rules"].insert(0, rule)
    source[name] = {"kind": "fixed", "value": amount.curve.keys[0].value}
    return document


def _amounts(effect: Effect) -> Iterator[Advisory]:
    for index, source in enumerate(effect.sources):
        radius = source.radius
        if isinstance(radius, Spread) and not isinstance(radius.value, list) and radius.spread >= 0.9 * radius.value > 0:
            text = f"'{source.label}' makes some particles too small to be seen: the spread of their radius is {radius.spread / radius.value:.0%}."
            fix = {"path": ["sources", index, "radius", "spread"], "value": round(radius.value * 0.8, 6), "label": "Make it 80 %"}
            yield Advisory("advice", ["sources", index, "radius"], text, fix)
    for index, rule in enumerate(effect.rules):
        for place, action in enumerate(rule.actions):
            if rule.trigger == "each" and isinstance(action, Add | Multiply) and action.per == "occasion":
                which = subject(effect, index)
                text = f"{which} changes '{action.attribute}' by a whole amount at each step, so the result depends on the frame rate."
                fix = {"path": ["rules", index, "actions", place, "per"], "value": "second", "label": "Make it a second"}
                yield Advisory("advice", ["rules", index, "actions", place], text, fix)


def _growth(effect: Effect) -> Iterator[Advisory]:
    """A rule whose children meet the same rule again grows without end unless something ends it that is not bound to come."""
    for index, rule in enumerate(effect.rules):
        for branch in ("actions", "otherwise"):
            for place, action in enumerate(getattr(rule, branch)):
                if not (effect.works("rules", index) and isinstance(action, Spawn) and _feeds_itself(effect, rule, action)):
                    continue
                again = _again(rule)
                # Whoever is split on its death leaves in any case.
                most = action.count.extent()[1]
                growth = most + (1 if action.parent == "kept" and rule.trigger != "death" else 0)
                how = f"its children are split again {again}, {growth:g} for one"
                if action.per != "occasion":
                    # What does not move leaves no children behind along its way.
                    again, growth = ("" if action.per == "metre" or not again else "as they are"), 1 + most
                    how = f"each gives birth to {most:g} {PACES[action.per]}, and so do its children"
                if again and growth > 1:
                    text = (
                        f"{subject(effect, index)} multiplies without end: {how}. Nothing but the particle budget of "
                        f"{effect.clock.particle_budget:,} stops it."
                    )
                    ways = ways_out(effect, rule.address)
                    yield Advisory("warning", ["rules", index, branch, place], text, ways[0] if ways else None, "growth", tuple(ways[1:]))


PER_OCCASION = {"each": "at each step", "birth": "on birth", "contact": "at each contact", "death": "when they leave"}


def _again(rule: Rule) -> str:
    """When children are bound to meet a rule again, in words; empty where its condition may keep it from them."""
    if rule.condition is None:
        return PER_OCCASION.get(rule.trigger, "at once")
    reasons = [_comes(part) for _path, part in parts_of(rule.condition) if isinstance(part, Condition)]
    if not all(reasons):
        return ""
    return next((reason for reason in reasons if reason not in (JOINS, "by chance")), "by chance")


JOINS = "joins"


def _comes(condition: Condition) -> str:
    """When a condition comes true by itself, for every particle that lives on; empty where it need not."""
    kind: str = condition.kind  # type: ignore[attr-defined]
    if kind in ("all", "any"):
        return JOINS
    if kind == "chance":
        return "by chance"
    quantity: str = getattr(getattr(condition, "quantity", None), "kind", "")
    upward = getattr(condition, "comparison", "between") in ("above", "at_least", "between", "equal")
    return {"age": "at that age", "time_in_group": "after that time in their group"}.get(quantity, "") if upward else ""


def _feeds_itself(effect: Effect, rule: Rule, action: Spawn) -> bool:
    if not rule.who:
        return True
    parents = {group.id: group.parent for group in effect.groups}
    current: str | None = action.group
    while current is not None:
        if current in rule.who:
            return True
        current = parents.get(current)
    return False


def _as_list(value: Any) -> list[str]:
    if isinstance(value, list):
        return [entry for entry in value if isinstance(entry, str)]
    return [value] if isinstance(value, str) else []
