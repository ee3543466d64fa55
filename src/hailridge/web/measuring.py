"""How long it took from one thing to another, over a whole run."""

from __future__ import annotations

from typing import Annotated, Any

import numpy as np
from fastapi import APIRouter, Query
from pydantic import BaseModel

from hailridge.core.looking.elapsing import HAPPENINGS, Occasion, elapsed_between
from hailridge.core.looking.observe import distribution
from hailridge.runs.service import Trial
from hailridge.store.library import NotFound, NotYet
from hailridge.web.context import Shared

router = APIRouter(prefix="/api", tags=["looking closer"])


MOST_LISTED = 400


class BetweenOut(BaseModel):
    """How long it took from one thing to another: how many particles did both, the spread of the times (s), and a list of the
    first ones (particle, frame, frame and seconds), shortest first."""

    number: int
    edges: list[float]
    counts: list[int]
    low: float
    high: float
    mean: float
    rows: list[tuple[int, int, int, float]]


@router.get("/trials/{trial_id}/between")
def between(trial_id: str, context: Shared, start: Annotated[str, Query(max_length=60)], end: Annotated[str, Query(max_length=60)]) -> BetweenOut:
    """How long each particle took from `start` to the next `end`.

    Each is birth, death, contact, or contact, group, rule or rule_end with the id of a shape, group or rule after a colon.
    """
    trial = context.runs.trial(trial_id)
    found = elapsed_between(context.runs.events(trial), _occasion(trial, start), _occasion(trial, end))
    seconds = found.seconds
    if not len(seconds):
        return BetweenOut(number=0, edges=[0, 1], counts=[0], low=0, high=0, mean=0, rows=[])
    spread = distribution(seconds, 32)
    rows = [
        (int(found.particles[at]), int(found.begins[at]), int(found.ends[at]), round(float(seconds[at]), 4))
        for at in np.argsort(seconds, kind="stable")[:MOST_LISTED]
    ]
    return BetweenOut(
        number=len(seconds), edges=spread.edges.tolist(), counts=spread.counts.tolist(), low=float(seconds.min()), high=float(seconds.max()),
        mean=float(seconds.mean()), rows=rows,
    )  # fmt: skip


def _occasion(trial: Trial, text: str) -> tuple[Occasion, int]:
    what, _colon, name = text.partition(":")
    effect = trial.effect
    lists: dict[str, list[Any]] = {"contact": effect.shapes, "group": effect.groups, "rule": effect.rules, "rule_end": effect.rules}
    if what not in HAPPENINGS or (name and what not in lists):
        raise NotFound(f"'{text}' is nothing that happens to particles")
    if not name:
        return what, -1
    index = next((index for index, item in enumerate(lists[what]) if item.id == name), None)
    if index is None:
        raise NotYet(f"there is no {what.removesuffix('_end')} '{name}' in this trial")
    return what, index
