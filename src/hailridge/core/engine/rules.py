"""Part 3 of a step: rules, from top to bottom. Also the rules that contact and death set off."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
from numpy.typing import NDArray

from hailridge.core.events import Happening
from hailridge.core.kernels import memory as kernel
from hailridge.core.moment import Moment
from hailridge.core.particles import Rows, named_rows, number_of
from hailridge.core.scene import ReadyRule
from hailridge.model.parts import Action

STEP_TRIGGERS = ("each", "once", "becomes", "stops", "birth")


class Tally:
    """Per rule: how many it looked at and held for at the latest step, and how often it acted since the last frame."""

    def __init__(self, rules: int) -> None:
        self.looked = np.zeros(rules, np.int32)
        self.held = np.zeros(rules, np.int32)
        self.acted = np.zeros(rules, np.int32)

    def note(self, rule: int, looked: int, held: int, acted: int, instant: bool) -> None:
        """Instants (contact, birth, death) add up over the steps of a frame; states are those of its last step."""
        if instant:
            self.looked[rule] += looked
            self.held[rule] += held
        else:
            self.looked[rule], self.held[rule] = looked, held
        self.acted[rule] += acted

    def clear(self) -> None:
        self.looked[:] = 0
        self.held[:] = 0
        self.acted[:] = 0


def run_step_rules(moment: Moment, tally: Tally) -> None:
    """All rules that act in the rules phase, for all particles that are alive when their turn comes."""
    for ready in moment.scene.rules:
        trigger = ready.rule.trigger
        if trigger not in STEP_TRIGGERS or ready.only_solid:
            continue
        if trigger == "birth":
            run_rule(moment, ready, concerned(moment, ready, moment.column("fresh") != 0), tally, instant=True)
        else:
            run_rule(moment, ready, concerned(moment, ready), tally)
    moment.column("fresh")[:] = 0


def run_triggered(moment: Moment, trigger: str, among: NDArray[np.bool_], tally: Tally) -> None:
    """Rules set off by contact or death, for the particles marked in `among` (n,)."""
    for ready in moment.scene.rules:
        if ready.rule.trigger == trigger:
            run_rule(moment, ready, concerned(moment, ready, among, doomed_too=trigger == "death"), tally, instant=True)


def concerned(moment: Moment, ready: ReadyRule, among: NDArray[np.bool_] | None = None, doomed_too: bool = False) -> Rows:
    """Rows of the rule's groups that are alive; a slice where that is everyone."""
    marked = among
    if not ready.everyone:
        in_groups = ready.members[moment.column("group")]
        marked = in_groups if marked is None else marked & in_groups
    if ready.off:
        switched_on = moment.column(ready.off) == 0
        marked = switched_on if marked is None else marked & switched_on
    if moment.any_doomed and not doomed_too:
        marked = ~moment.doomed if marked is None else marked & ~moment.doomed
    if marked is None:
        return moment.everyone()
    rows = np.flatnonzero(marked)
    return slice(0, moment.count) if len(rows) == moment.count else rows


def run_rule(moment: Moment, ready: ReadyRule, rows: Rows, tally: Tally, instant: bool = False) -> None:
    """Test the condition, find whom the trigger means, act, and write events for beginnings and ends."""
    rule = ready.rule
    looked = number_of(rows)
    if looked == 0:
        tally.note(ready.index, 0, 0, 0, instant)
        return
    moment.actor = ready.index
    holds = None if rule.condition is None else np.asarray(rule.condition.holds(moment, rows), np.bool_)
    passing = rows if holds is None else narrowed(rows, holds)
    acting = passing if instant else _moved_by(moment, ready, rows, holds, passing)
    _act(moment, ready.actions, acting)
    if ready.acted:
        moment.column(ready.acted)[acting] = moment.time
    if ready.otherwise and holds is not None:
        _act(moment, ready.otherwise, narrowed(rows, ~holds))
    if instant:
        moment.log.add(Happening.RULE, moment, acting, ready.index)
    tally.note(ready.index, looked, number_of(passing), number_of(acting), instant)


def narrowed(rows: Rows, mask: NDArray[np.bool_]) -> Rows:
    """The rows where `mask` (aligned to them) is true; the same slice where that is all."""
    if isinstance(rows, slice):
        inside = np.flatnonzero(mask)
        return rows if len(inside) == len(mask) else inside + rows.start
    return rows[mask]


def _moved_by(moment: Moment, ready: ReadyRule, rows: Rows, holds: NDArray[np.bool_] | None, passing: Rows) -> Rows:
    """Whom a rule acts on, by its trigger; remembers who holds and writes an event for each beginning and end."""
    rule = ready.rule
    if not ready.remembers:
        return passing
    now = np.ones(number_of(rows), np.bool_) if holds is None else holds
    beginning: Rows
    ending: Rows
    beginning, ending = kernel.edges(moment.column(ready.held), *named_rows(rows), now)
    # A rule without a condition holds for everyone from birth; that is no news.
    if rule.condition is not None:
        moment.log.add(Happening.RULE, moment, beginning, ready.index)
    moment.log.add(Happening.RULE_END, moment, ending, ready.index)
    match rule.trigger:
        case "becomes":
            return beginning
        case "stops":
            return ending
        case "once":
            fired = moment.column(ready.fired)
            fresh = narrowed(rows, now & (fired[rows] == 0))
            fired[fresh] = 1
            return fresh
        case _:
            return passing


def _act(moment: Moment, actions: Iterable[Action], rows: Rows) -> None:
    if number_of(rows) == 0:
        return
    for action in actions:
        if action.phase == "rules":
            action.act(moment, rows)
