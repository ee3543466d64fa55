"""A neighbourhood of a trial, looked at: how many found anybody and why nobody did, what one particle saw, how far away the nearest are."""

from __future__ import annotations

from fastapi import APIRouter
from pydantic import BaseModel

from hailridge.core.looking.searching import as_acted, measured, searched, view_of
from hailridge.core.scene.moment import Moment
from hailridge.model.neighbourhoods import Neighbourhood
from hailridge.store.library import NotYet
from hailridge.web.context import Shared
from hailridge.web.looking import Histogram

router = APIRouter(prefix="/api", tags=["looking closer"])


class ViewOut(BaseModel):
    """What one particle sees (`core.looking.searching.View`)."""

    place: list[float]
    reach: float
    heading: list[float] | None
    angle: float
    count: int
    ids: list[int]
    places: list[list[float]]
    distances: list[float]
    middle: list[float] | None


class SearchOut(BaseModel):
    """How a neighbourhood did at a frame: how many looked, how many of them found anybody, how many could be found; the mean number found, the
    shortest and longest reach (m), why nobody was found, in words (empty where somebody was); of one particle, what it saw."""

    seekers: int
    finding: int
    targets: int
    mean: float
    reach: list[float]
    text: str
    view: ViewOut | None


@router.get("/trials/{trial_id}/frames/{number}/neighbourhoods/{neighbourhood}")
def search(trial_id: str, number: int, neighbourhood: str, context: Shared, particle: int | None = None) -> SearchOut:
    """A neighbourhood at a frame, as it was when the rules of its last step acted."""
    trial = context.runs.trial(trial_id)
    so_far, events = context.runs.goes_on(trial), context.runs.events(trial)
    with context.runs.moment(trial, number) as moment:
        hood = _hood(moment, neighbourhood)
        acted = as_acted(moment, events)
        view = None if particle is None else view_of(acted, hood, particle)
        return SearchOut(**vars(searched(acted, hood, events, so_far)), view=None if view is None else ViewOut(**vars(view)))


@router.get("/trials/{trial_id}/frames/{number}/neighbourhoods/{neighbourhood}/distances")
def search_distances(trial_id: str, number: int, neighbourhood: str, context: Shared) -> Histogram:
    """How far away the nearest of each seeker is at a frame, whatever the reach; `passing`: how many have one within reach."""
    trial = context.runs.trial(trial_id)
    events = context.runs.events(trial)
    with context.runs.moment(trial, number) as moment:
        found = measured(as_acted(moment, events), _hood(moment, neighbourhood))
    spread = found.spread
    return Histogram(
        edges=spread.edges.tolist(), counts=spread.counts.tolist(), total=spread.total, passing=found.within, low=spread.low, high=spread.high,
        outside=spread.outside, thresholds=[],
    )  # fmt: skip


def _hood(moment: Moment, name: str) -> Neighbourhood:
    hood = moment.scene.neighbourhoods.get(name)
    if hood is None:
        raise NotYet(f"there is no neighbourhood '{name}' in this trial that works")
    return hood
