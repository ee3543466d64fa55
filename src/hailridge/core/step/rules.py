"""Rules, from top to bottom: those that act on birth, on the way, at the end of a step, on contact and on death."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from hailridge.core.kernels import memory as kernel
from hailridge.core.scene.moment import Moment
from hailridge.core.scene.ready import Deeds, ReadyRule
from hailridge.core.state.events import Happening
from hailridge.core.state.particles import Rows, named_rows, number_of
from hailridge.model.parts import Action

ANYBODY, NEVER = np.zeros(0, np.bool_), np.zeros(0, np.uint8)


class Tally:
    """Per rule: how many it looked at at the latest step, and how often it acted since the last frame. Whom it held for is recorded in bits."""

    def __init__(self, rules: int) -> None:
        self.looked = np.zeros(rules, np.int32)
        self.acted = np.zeros(rules, np.int32)

    def note(self, rule: int, looked: int, acted: int, afresh: bool) -> None:
        """`afresh` begins the count of those looked at anew: a rule's turn in a step. Else they are added: children, contacts, births, deaths."""
        if afresh:
            self.looked[rule] = looked
        else:
            self.looked[rule] += looked
        self.acted[rule] += acted

    def clear(self) -> None:
        self.looked[:] = 0
        self.acted[:] = 0


def run_on_the_way(moment: Moment, tally: Tally) -> None:
    """All rules that push or make things solid: asked where everybody is at the start of the step."""
    for ready in moment.scene.turns.on_the_way:
        run_rule(moment, ready, concerned(moment, ready), tally, on_the_way=True)


def run_changes(moment: Moment, tally: Tally, children: slice | None = None) -> None:
    """All rules that change something: asked where everybody is now, after motion.

    With `children`, only those: particles that have appeared after the last rule meet the rules at once, so that nothing is recorded that
    contradicts them. What gives birth waits for the next step, since it would give birth without end.
    """
    among = None
    if children is not None:
        among = np.zeros(moment.count, np.bool_)
        among[children] = True
    for ready in moment.scene.turns.changes:
        if children is None or not ready.gives_birth:
            run_rule(moment, ready, concerned(moment, ready, among), tally, afresh=children is None)


def run_on_birth(moment: Moment, tally: Tally, newborn: NDArray[np.bool_], bearing: bool) -> None:
    """Rules on birth, for the particles marked in `newborn` (n,); what gives birth only if it is `bearing` (see `simulation`)."""
    for ready in moment.scene.turns.birth:
        among = newborn
        if ready.gives_birth:
            if not bearing:
                continue
            among = newborn | (moment.column("fresh") != 0)
        run_rule(moment, ready, concerned(moment, ready, among), tally, instant=True)


def run_triggered(moment: Moment, trigger: Literal["contact", "death"], among: NDArray[np.bool_], tally: Tally) -> None:
    """Rules set off by contact or death, for the particles marked in `among` (n,)."""
    turns = moment.scene.turns
    for ready in turns.contact if trigger == "contact" else turns.death:
        run_rule(moment, ready, concerned(moment, ready, among, doomed_too=trigger == "death"), tally, instant=True)


def concerned(moment: Moment, ready: ReadyRule, among: NDArray[np.bool_] | None = None, doomed_too: bool = False) -> Rows:
    """Rows of the rule's groups that are alive; a slice where that is everyone."""
    dying = moment.any_doomed and not doomed_too
    if ready.everyone and not ready.off and not dying and among is None:
        return moment.everyone()
    rows: NDArray[np.intp]
    if among is None:
        rows = kernel.chosen(
            moment.count, moment.column("group"), ANYBODY if ready.everyone else ready.members, moment.column(ready.off) if ready.off else NEVER,
            moment.doomed if dying else ANYBODY,
        )  # fmt: skip
    else:
        # Mostly few of all: only these are looked at.
        rows = among.nonzero()[0]
        fits = np.ones(len(rows), np.bool_) if ready.everyone else ready.members[moment.column("group")[rows]]
        if ready.off:
            fits = fits & (moment.column(ready.off)[rows] == 0)
        if dying:
            fits = fits & ~moment.doomed[rows]
        rows = rows[fits]
    return slice(0, moment.count) if len(rows) == moment.count else rows


def asked_of(moment: Moment, ready: ReadyRule, among: NDArray[np.bool_]) -> tuple[Rows, Rows]:
    """For whom of those marked a rule holds now, and for whom it does not; nothing is remembered or counted."""
    rows = concerned(moment, ready, among)
    if ready.rule.condition is None or number_of(rows) == 0:
        return rows, slice(0, 0)
    holds = np.asarray(ready.rule.condition.holds(moment, rows), np.bool_)
    return narrowed(rows, holds), narrowed(rows, ~holds)


def run_rule(
    moment: Moment, ready: ReadyRule, rows: Rows, tally: Tally, instant: bool = False, on_the_way: bool = False, afresh: bool = True
) -> None:
    """A rule's turn, for some rows of its groups; what it takes is charged to it."""
    begun = moment.costs.begin()
    _take_turn(moment, ready, rows, tally, instant, on_the_way, afresh)
    moment.costs.end(ready.rule.address, begun)


def _take_turn(moment: Moment, ready: ReadyRule, rows: Rows, tally: Tally, instant: bool, on_the_way: bool, afresh: bool) -> None:
    """Test the condition, find whom the trigger means, act, and write events for beginnings and ends.

    A rule that both pushes and changes is asked twice in a step, with the same random numbers; it is counted, and remembers whom it held for,
    where it changes (`ReadyRule.at_the_end`).
    """
    rule = ready.rule
    counts = not (on_the_way and ready.at_the_end)
    afresh = afresh and not instant
    looked = number_of(rows)
    if looked == 0:
        if counts:
            tally.note(ready.index, 0, 0, afresh)
            _mark(moment, ready, slice(0, 0), slice(0, 0), afresh)
        return
    moment.actor = ready.index
    holds = None if rule.condition is None else np.asarray(rule.condition.holds(moment, rows), np.bool_)
    passing = rows if holds is None else narrowed(rows, holds)
    failing: Rows = slice(0, 0) if holds is None else narrowed(rows, ~holds) if ready.other_bit is not None else slice(0, 0)
    acting = passing if instant or not counts else _moved_by(moment, ready, rows, holds, passing)
    if counts:
        _mark(moment, ready, passing, failing, afresh)
    _act(moment, ready.does, acting, on_the_way)
    if ready.acted and counts:
        moment.column(ready.acted)[acting] = moment.time
    _act(moment, ready.otherwise, failing, on_the_way)
    if instant:
        moment.log.add(Happening.RULE, moment, acting, ready.index)
    if counts:
        tally.note(ready.index, looked, number_of(acting), afresh)


def _mark(moment: Moment, ready: ReadyRule, passing: Rows, failing: Rows, afresh: bool) -> None:
    moment.mark_turn(ready.bit, passing, afresh)
    if ready.other_bit is not None:
        moment.mark_turn(ready.other_bit, failing, afresh)


def narrowed(rows: Rows, mask: NDArray[np.bool_]) -> Rows:
    """The rows where `mask` (aligned to them) is true; the same slice where that is all."""
    if isinstance(rows, slice):
        inside = mask.nonzero()[0]
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


def _act(moment: Moment, deeds: Deeds, rows: Rows, on_the_way: bool) -> None:
    if number_of(rows) == 0:
        return
    actions: Iterable[Action] = (*deeds.push, *deeds.contact) if on_the_way else deeds.change
    for action in actions:
        moment.begin_writing()
        action.act(moment, rows)
