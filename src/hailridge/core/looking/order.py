"""Advisories about rules: what their order breaks, what can never hold, and what a trigger makes of an action."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from hailridge.core.kinds.actions.approach import Approach
from hailridge.core.kinds.actions.change import Add, Multiply, Set
from hailridge.core.kinds.actions.population import LiveOn, Move, Remove, Switch
from hailridge.core.kinds.actions.spawn import Spawn
from hailridge.core.kinds.conditions.tests import Chance
from hailridge.core.looking.advisory import Advisory
from hailridge.core.looking.certainty import judge
from hailridge.model.effect import Effect, Rule, rule_numbers
from hailridge.model.kind import parts_of
from hailridge.model.parts import Action, Quantity

STEPPED = ("each", "once", "becomes", "stops")


def order_advisories(effect: Effect) -> list[Advisory]:
    """Everything that can be said of rules before they run."""
    return [
        *_starved(effect), *_never(effect), *_overwritten(effect), *_unreached_groups(effect), *_single_rules(effect), *_switches(effect),
        *_chances(effect),
    ]  # fmt: skip


def named(effect: Effect, index: int) -> str:
    """How a rule is spoken of: by its number, and its label where it has one."""
    label = effect.rules[index].label
    number = rule_numbers(effect)[index]
    return f"rule {number} '{label}'" if label else f"rule {number}"


def subject(effect: Effect, index: int) -> str:
    """A rule as a sentence begins with it."""
    text = named(effect, index)
    return text[:1].upper() + text[1:]


def _working(effect: Effect) -> list[tuple[int, Rule]]:
    return [(index, rule) for index, rule in enumerate(effect.rules) if effect.works("rules", index)]


def groups_of(effect: Effect, who: list[str]) -> set[str]:
    """All groups that a list of them means, those within them included; everyone for an empty list."""
    if not who:
        return {group.id for group in effect.groups}
    parents = {group.id: group.parent for group in effect.groups}
    found = set()
    for group in parents:
        above: str | None = group
        while above is not None:
            if above in who:
                found.add(group)
                break
            above = parents.get(above)
    return found


def _starved(effect: Effect) -> Iterator[Advisory]:
    """A rule below one that removes everybody it concerns, or moves them on, is never reached."""
    gone: dict[str, tuple[int, str]] = {}
    for index, rule in _working(effect):
        if rule.trigger not in STEPPED:
            continue
        who = groups_of(effect, rule.who)
        starved = [group for group in who if group in gone]
        if who and len(starved) == len(who):
            culprit, does = gone[starved[0]]
            if all(action.phase != "change" for action in (*rule.actions, *rule.otherwise)) and rule.actions:
                text = (
                    f"{subject(effect, index)} acts on nobody for longer than the step of its birth: {named(effect, culprit)} {does} "
                    "everybody at its end."
                )
                yield Advisory("warning", ["rules", index], text)
                continue
            text = f"{subject(effect, index)} is never reached: {named(effect, culprit)} above it {does} everybody first."
            rules = [rule.model_dump() for rule in effect.rules]
            rules.insert(culprit, rules.pop(index))
            yield Advisory("warning", ["rules", index], text, {"path": ["rules"], "value": rules, "label": "Put it above"})
        if rule.condition is not None or rule.trigger != "each":
            continue
        for action in rule.actions:
            if isinstance(action, Remove) or (isinstance(action, Spawn) and action.parent == "removed"):
                gone |= dict.fromkeys(who, (index, "removes"))
            if isinstance(action, Move):
                gone |= dict.fromkeys(who - {action.group}, (index, "moves"))
                gone.pop(action.group, None)


def _never(effect: Effect) -> Iterator[Advisory]:
    for index, rule in _working(effect):
        if rule.condition is None:
            continue
        verdict, findings = judge(rule.condition, effect)
        for finding in findings:
            whole = finding.verdict == verdict
            path = ["rules", index, "condition", *finding.path]
            if finding.verdict == "never":
                what = f"{subject(effect, index)} can never hold" if whole else f"A condition of {named(effect, index)} can never hold"
                yield Advisory("warning", path, f"{what}: {finding.text}.")
            else:
                what = f"{subject(effect, index)} holds for everybody" if whole else f"A condition of {named(effect, index)} always holds"
                yield Advisory("advice", path, f"{what}: {finding.text}.")


def _overwritten(effect: Effect) -> Iterator[Advisory]:
    """A change that a later rule, or a later action of the same one, overwrites at once."""
    working = _working(effect)
    for place, (index, rule) in enumerate(working):
        if rule.trigger in ("contact", "death"):
            continue
        who = groups_of(effect, rule.who)
        for number, action in enumerate(rule.actions):
            attribute = _written(action)
            if attribute is None or rule.actions[number].phase != "change":
                continue
            path: list[str | int] = ["rules", index, "actions", number]
            if any(_sets(later, attribute) for later in rule.actions[number + 1 :]):
                yield Advisory("warning", path, f"{subject(effect, index)} changes {attribute} and sets it again right after.")
                continue
            for other, later in working[place + 1 :]:
                if _reads(later, attribute):
                    break
                takes_all = later.trigger == "each" and later.condition is None and who <= groups_of(effect, later.who)
                if takes_all and any(_sets(action_, attribute) for action_ in later.actions):
                    text = (
                        f"What {named(effect, index)} does to {attribute} is lost at once: {named(effect, other)} below it sets {attribute} for the "
                        f"same particles at each step."
                    )
                    yield Advisory("warning", path, text)
                    break


def _written(action: Action) -> str | None:
    return action.attribute if isinstance(action, Set | Add | Multiply | Approach) else None


def _sets(action: Action, attribute: str) -> bool:
    return isinstance(action, Set) and action.attribute == attribute and action.where is None


def _reads(rule: Rule, attribute: str) -> bool:
    """Whether some quantity of a rule reads an attribute: then a change above it mattered."""
    for _path, part in parts_of(rule):
        if isinstance(part, Quantity):
            kind: str = part.kind  # type: ignore[attr-defined]
            if getattr(part, "attribute", None) == attribute or kind == attribute:
                return True
            if attribute in ("age", "lifetime") and kind in ("life_fraction", "remaining"):
                return True
    return False


def _unreached_groups(effect: Effect) -> Iterator[Advisory]:
    """Rules for groups into which nothing ever brings a particle."""
    reached = {source.group for source in effect.sources if source.enabled}
    for _index, rule in _working(effect):
        for _path, part in parts_of(rule):
            if isinstance(part, Action) and isinstance(group := getattr(part, "group", None), str):
                reached.add(group)
    labels = {group.id: group.label for group in effect.groups}
    for index, rule in _working(effect):
        if rule.who and not groups_of(effect, rule.who) & reached:
            which = " or ".join(f"'{labels[group]}'" for group in rule.who)
            text = f"{subject(effect, index)} looks at {which}, but no source and no rule ever brings a particle there."
            yield Advisory("warning", ["rules", index, "who"], text)


def _single_rules(effect: Effect) -> Iterator[Advisory]:
    """What a trigger makes of an action."""
    for index, rule in _working(effect):
        if not rule.actions and not rule.otherwise:
            yield Advisory("advice", ["rules", index], f"{subject(effect, index)} does nothing yet: choose what it should do.")
        for number, action in enumerate(rule.actions):
            path: list[str | int] = ["rules", index, "actions", number]
            if rule.trigger != "each" and isinstance(action, Add | Multiply) and action.per == "second":
                text = f"{subject(effect, index)} acts on a moment, yet changes {action.attribute} by so much a second: hardly at all."
                yield Advisory("warning", path, text, {"path": [*path, "per"], "value": "occasion", "label": "Change it at once"})
            if rule.trigger == "each" and rule.condition is None and isinstance(action, LiveOn):
                text = f"{subject(effect, index)} gives a new lease of life at every step, so its particles never leave."
                yield Advisory("warning", path, text, {"path": ["rules", index, "trigger"], "value": "once", "label": "Once per particle"})
            if isinstance(action, Set) and action.attribute == "lifetime" and rule.trigger in ("once", "becomes", "stops"):
                yield from _lifetime_alone(effect, index, number, action)


def _chances(effect: Effect) -> Iterator[Advisory]:
    """A chance that is decided anew at each step comes true the sooner, the more steps there are."""
    for index, rule in _working(effect):
        if rule.trigger not in STEPPED or rule.condition is None:
            continue
        for path, condition in parts_of(rule.condition):
            if isinstance(condition, Chance) and condition.per == "occasion":
                place = ["rules", index, "condition", *path]
                text = f"The chance in {named(effect, index)} is decided anew at each step, so how many pass depends on the steps a second."
                yield Advisory("advice", place, text, {"path": [*place, "per"], "value": "second", "label": "Make it a second"})


def _lifetime_alone(effect: Effect, index: int, number: int, action: Set) -> Iterator[Advisory]:
    """A lifetime is counted from birth, not from now: whoever is older leaves at once."""
    actions: list[Any] = effect.rules[index].actions
    back = next((place for place, other in enumerate(actions) if isinstance(other, Set) and other.attribute == "age"), None)
    path: list[str | int] = ["rules", index, "actions", number]
    if back is None:
        text = (
            f"{subject(effect, index)} sets the lifetime, but age goes on counting from birth: whoever is older than that leaves at "
            "once. To let it live that long from now on, set its age back as well."
        )
        fix = {"path": path, "value": {"kind": "live_on", "time": action.amount.model_dump(), "age": "back"}, "label": "Live that long from now"}
        yield Advisory("advice", path, text, fix)


def _switches(effect: Effect) -> Iterator[Advisory]:
    switched = {part.rule for _path, part in parts_of(effect) if isinstance(part, Switch) and part.on}
    for index, rule in _working(effect):
        if rule.waits and rule.id not in switched:
            text = f"{subject(effect, index)} waits to be switched on, but no rule ever does so."
            yield Advisory("warning", ["rules", index], text, {"path": ["rules", index, "waits"], "value": False, "label": "On from birth"})
