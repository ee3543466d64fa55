"""For how many the conditions of rules and looks hold, each by itself, at a frame and over time; and why a rule holds for nobody."""

from __future__ import annotations

import time
from collections.abc import Callable, Generator
from typing import Any

from fastapi import APIRouter
from pydantic import BaseModel

from hailridge.core.looking.flow import coarse_to_fine, slices
from hailridge.core.looking.observe import rows_of
from hailridge.core.looking.why import branch_counts, counts_of, explain
from hailridge.core.scene.moment import Moment
from hailridge.runs.service import Trial
from hailridge.web.context import Context, Shared

router = APIRouter(prefix="/api", tags=["looking closer"])


class Branch(BaseModel):
    """One condition within a rule's condition, by its path below that, and for how many it holds by itself."""

    path: list[str | int]
    holds: int
    of: int


class Explanation(BaseModel):
    """A rule at a frame: why it holds for nobody, in words (empty where it does for somebody), and counts for each of its conditions."""

    text: str
    branches: list[Branch]


@router.get("/trials/{trial_id}/frames/{number}/rules/{rule}")
def explain_rule(trial_id: str, number: int, rule: str, context: Shared) -> Explanation:
    trial = context.runs.trial(trial_id)
    so_far, events = context.runs.goes_on(trial), context.runs.events(trial)
    with context.runs.moment(trial, number) as moment:
        ready = moment.scene.rules_named.get(rule)
        if ready is None:
            return Explanation(text="", branches=[])
        return Explanation(text=explain(moment, ready, events, so_far), branches=[Branch(**branch) for branch in branch_counts(moment, ready)])


def _of_look(moment: Moment, look: str) -> list[dict[str, Any]]:
    """Counts for the condition that a look has of its own: asked of those whom it draws."""
    looks: list[Any] = moment.scene.effect.looks
    for found in (entry for entry in looks if entry.id == look and getattr(entry, "laid_while", None) is not None):
        return counts_of(moment, found.laid_while, rows_of(moment, moment.scene.members(found.who)))
    return []


@router.get("/trials/{trial_id}/frames/{number}/looks/{look}")
def explain_look(trial_id: str, number: int, look: str, context: Shared) -> Explanation:
    """For how many the condition of a look, such as that under which trails are laid, and each within it holds at a frame."""
    with context.runs.moment(context.runs.trial(trial_id), number) as moment:
        return Explanation(text="", branches=[Branch(**branch) for branch in _of_look(moment, look)])


class BranchCurve(BaseModel):
    """For how many a condition within that of a rule or a look holds by itself, at each of some frames."""

    path: list[str | int]
    holds: list[int]


class BranchCurves(BaseModel):
    """The frames that were looked at, ascending, and a curve for each condition."""

    frames: list[int]
    curves: list[BranchCurve]


CURVE_FRAMES = 48
CURVE_SECONDS = 1.0
"""At most so many frames are looked at for a curve, and no longer than that: neighbour counts of many particles get a coarser curve."""


def sampled(context: Context, trial: Trial, most: int, seconds: float) -> Generator[tuple[int, Moment], None, None]:
    """Computed frames of a trial, at most so many, evenly spread, some from everywhere as soon as possible; after a time no more than three."""
    computed = context.runs.computed(trial)
    until = time.monotonic() + seconds
    for place, frame in enumerate(coarse_to_fine(slices(computed - 1, min(most, computed))) if computed else []):
        if place > 2 and time.monotonic() > until:
            return
        with context.runs.moment(trial, frame, passing=True) as moment:
            yield frame, moment


@router.get("/trials/{trial_id}/rules/{rule}/curves")
def branch_curves(trial_id: str, rule: str, context: Shared) -> BranchCurves:
    """For how many each condition of a rule holds over the frames computed so far, evenly sampled."""
    trial = context.runs.trial(trial_id)
    ready = trial.plan.beginning.rules_named.get(rule)
    if ready is None or ready.rule.condition is None or context.runs.computed(trial) == 0:
        return BranchCurves(frames=[], curves=[])
    return _curves(context, trial, lambda moment: branch_counts(moment, moment.scene.rules_named[rule]))


@router.get("/trials/{trial_id}/looks/{look}/curves")
def look_curves(trial_id: str, look: str, context: Shared) -> BranchCurves:
    """For how many the condition of a look and each within it holds over the frames computed so far, evenly sampled."""
    trial = context.runs.trial(trial_id)
    if context.runs.computed(trial) == 0:
        return BranchCurves(frames=[], curves=[])
    return _curves(context, trial, lambda moment: _of_look(moment, look))


def _curves(context: Context, trial: Trial, counts: Callable[[Moment], list[dict[str, Any]]]) -> BranchCurves:
    found = {frame: counts(moment) for frame, moment in sampled(context, trial, CURVE_FRAMES, CURVE_SECONDS)}
    frames = sorted(found)
    branches = found[frames[0]]
    curves = [BranchCurve(path=branch["path"], holds=[found[frame][at]["holds"] for frame in frames]) for at, branch in enumerate(branches)]
    return BranchCurves(frames=frames, curves=curves)
