"""Rules made ready: their groups as a table, their actions by the part of the step in which each is asked, and what they remember."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from hailridge.model.attributes import memory_of_rule
from hailridge.model.effect import Effect, Rule
from hailridge.model.parts import Action, Phase

STEP_TRIGGERS = ("each", "once", "becomes", "stops")
"""Rules that take a turn in every step; the others wait for something to happen to a particle."""


@dataclass(frozen=True)
class Deeds:
    """The actions of a branch of a rule, by the part of the step in which each is asked."""

    push: tuple[Action, ...] = ()
    contact: tuple[Action, ...] = ()
    change: tuple[Action, ...] = ()

    @classmethod
    def of(cls, effect: Effect, index: int, branch: str) -> Deeds:
        """Those of a rule that take part in the run."""
        actions: list[Action] = getattr(effect.rules[index], branch)
        taking_part = [action for place, action in enumerate(actions) if effect.acts("rules", index, branch, place)]

        def asked_in(phase: Phase) -> tuple[Action, ...]:
            return tuple(action for action in taking_part if action.phase == phase)

        return cls(asked_in("push"), asked_in("contact"), asked_in("change"))

    def all(self) -> tuple[Action, ...]:
        return (*self.push, *self.contact, *self.change)


@dataclass(frozen=True)
class ReadyRule:
    """A rule ready to run. Everything but `rule`, `does` and `otherwise` is the same at all times."""

    index: int
    rule: Rule
    members: NDArray[np.bool_]
    held: str
    fired: str
    bit: int
    """Where it stands among the bits that record whom rules held for (`Moment.mark_turn`)."""
    does: Deeds = field(default_factory=Deeds)
    otherwise: Deeds = field(default_factory=Deeds)
    other_bit: int | None = None
    """The bit of those for whom it did not hold, where it does something about them."""
    off: str = ""
    """The column that says for whom it is switched off; empty where nothing ever switches it."""
    acted: str = ""
    """The column that keeps when it last acted; empty where nobody asks."""
    remembers: bool = False
    """Whether it has to know for whom it held before: one that always holds and acts at each step does not."""
    on_the_way: bool = False
    """Whether it does anything to the motion of a step, so that it is asked before it."""
    at_the_end: bool = False
    """Whether it takes its turn after motion: then it is counted there. One that only acts on the way is counted before."""
    gives_birth: bool = False
    everyone: bool = False

    def as_in(self, effect: Effect) -> ReadyRule:
        """The same rule with its parts as they are in this document, which is the plan's at some time."""
        rule = effect.rules[self.index]
        if rule is self.rule:
            return self
        return replace(self, rule=rule, does=Deeds.of(effect, self.index, "actions"), otherwise=Deeds.of(effect, self.index, "otherwise"))


def make_ready(effect: Effect, index: int, members: NDArray[np.bool_], bit: int, off: bool, acted: bool) -> ReadyRule:
    """A rule of a plan's document. `members`: which groups it concerns; `bit`: the next that is free; `off`, `acted`: whether that is asked for."""
    rule = effect.rules[index]
    does, otherwise = Deeds.of(effect, index, "actions"), Deeds.of(effect, index, "otherwise")
    on_the_way = bool(does.push or does.contact or otherwise.push or otherwise.contact)
    return ReadyRule(
        index, rule, members, memory_of_rule(rule.id, "held"), memory_of_rule(rule.id, "fired"), bit, does, otherwise,
        other_bit=bit + 1 if otherwise.all() else None,
        off=memory_of_rule(rule.id, "off") if off or rule.waits else "",
        acted=memory_of_rule(rule.id, "acted") if acted else "",
        remembers=rule.condition is not None or rule.trigger in ("once", "becomes", "stops"),
        on_the_way=on_the_way,
        at_the_end=bool(does.change or otherwise.change) or not on_the_way,
        gives_birth=any(action.gives_birth for action in (*does.change, *otherwise.change)),
        everyone=bool(members.all()),
    )  # fmt: skip


@dataclass(frozen=True)
class Turns:
    """The rules of a scene by when they are asked, each tuple in their order from top to bottom."""

    all: tuple[ReadyRule, ...]
    on_the_way: tuple[ReadyRule, ...]
    changes: tuple[ReadyRule, ...]
    birth: tuple[ReadyRule, ...]
    contact: tuple[ReadyRule, ...]
    death: tuple[ReadyRule, ...]

    @classmethod
    def of(cls, rules: tuple[ReadyRule, ...]) -> Turns:
        def set_off_by(trigger: str) -> tuple[ReadyRule, ...]:
            return tuple(ready for ready in rules if ready.rule.trigger == trigger)

        return cls(
            rules,
            tuple(ready for ready in rules if ready.rule.trigger == "each" and ready.on_the_way),
            tuple(ready for ready in rules if ready.rule.trigger in STEP_TRIGGERS and ready.at_the_end),
            set_off_by("birth"), set_off_by("contact"), set_off_by("death"),
        )  # fmt: skip
