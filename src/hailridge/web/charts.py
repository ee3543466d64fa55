"""Charts of any quantities, at a frame and over a run."""

from __future__ import annotations

from contextlib import closing
from typing import Annotated, Literal

import numpy as np
from fastapi import APIRouter
from numpy.typing import NDArray
from pydantic import BaseModel, Field

from hailridge.core.looking.charting import cloud, middle, read, spread
from hailridge.core.looking.observe import row_of
from hailridge.core.state.events import Happening
from hailridge.web.context import Shared
from hailridge.web.counting import sampled
from hailridge.web.looking import check_names, names_told
from hailridge.web.tables import Number

router = APIRouter(prefix="/api", tags=["charts"])

FRAMES, SECONDS = 60, 1.0
"""At most so many frames are looked at for a chart over time, and no longer than that at once."""

Text = Annotated[str, Field(max_length=4000)]


class Charted(BaseModel):
    """What is drawn, as a formula, of whom: groups (none: everyone), and a formula that is true for them."""

    of: Text
    who: list[str] = Field(default_factory=list, max_length=200)
    where: Text = ""


class SpreadAsked(Charted):
    """With `powers`, bins are equally wide in powers of ten, and only what is positive is counted."""

    powers: bool = False


class SpreadOut(BaseModel):
    """Counts of each group, by its id, between the edges."""

    edges: list[float]
    counts: dict[str, list[int]]
    total: int
    mean: float
    median: float
    low: float
    high: float
    outside: int
    fault: str
    fault_of_where: bool = Field(description="Whether the fault is that of the condition.")


class CloudAsked(Charted):
    """`of` is drawn across and `against` up; who is `always` wanted is among the points where there are too many to show."""

    against: Text
    always: Number | None = None


class CloudOut(BaseModel):
    """Points by number and group; of how many."""

    ids: list[int]
    groups: list[str]
    x: list[float]
    y: list[float]
    of: int
    fault: str
    fault_of_against: str
    fault_of_where: bool


class OverTimeOut(BaseModel):
    """At some frames, by group: how many have a number, the mean, and between what the middle four fifths of them lie; null where nobody is."""

    frames: list[int]
    counts: dict[str, list[int]]
    means: dict[str, list[float | None]]
    lows: dict[str, list[float | None]]
    highs: dict[str, list[float | None]]
    fault: str
    fault_of_where: bool


class OneAsked(BaseModel):
    """What is drawn of one particle, as a formula."""

    of: Text
    particle: Number


class Mark(BaseModel):
    """A rule that began or ceased to hold for the particle, and acted, or a group that it came into."""

    frame: int
    what: Literal["begins", "ends", "moves"]
    item: str


class OneOut(BaseModel):
    """A value at some frames, null where the particle is not there, and what happened to it."""

    frames: list[int]
    values: list[float | None]
    marks: list[Mark]
    fault: str


def _told(values: NDArray[np.float64]) -> list[float | None]:
    return [float(value) if np.isfinite(value) else None for value in values]


@router.post("/trials/{trial_id}/frames/{number}/charts/spread")
def get_spread(trial_id: str, number: int, asked: SpreadAsked, context: Shared) -> SpreadOut:
    """How a quantity is spread at a frame."""
    trial = context.runs.trial(trial_id)
    check_names(trial, asked.who)
    with names_told(), context.runs.moment(trial, number) as moment:
        found = spread(moment, asked.of, asked.who, asked.where, asked.powers)
    counts = {group.id: row.tolist() for group, row in zip(trial.effect.groups, found.counts, strict=False)}
    return SpreadOut(**{**vars(found), "edges": found.edges.tolist(), "counts": counts})


@router.post("/trials/{trial_id}/frames/{number}/charts/against")
def get_cloud(trial_id: str, number: int, asked: CloudAsked, context: Shared) -> CloudOut:
    """One quantity against another at a frame, as points."""
    trial = context.runs.trial(trial_id)
    check_names(trial, asked.who)
    with names_told(), context.runs.moment(trial, number) as moment:
        found = cloud(moment, asked.of, asked.against, asked.who, asked.where, asked.always)
    groups = [trial.effect.groups[group].id for group in found.groups]
    return CloudOut(
        ids=found.ids.tolist(), groups=groups, x=found.x.tolist(), y=found.y.tolist(), of=found.of, fault=found.fault,
        fault_of_against=found.fault_of_y, fault_of_where=found.fault_of_where,
    )  # fmt: skip


@router.post("/trials/{trial_id}/charts/over-time")
def get_over_time(trial_id: str, asked: Charted, context: Shared) -> OverTimeOut:
    """A quantity over the frames that are computed, evenly sampled: its middle in each group."""
    trial = context.runs.trial(trial_id)
    check_names(trial, asked.who)
    with names_told():
        found = {frame: middle(moment, asked.of, asked.who, asked.where) for frame, moment in sampled(context, trial, FRAMES, SECONDS)}
    frames = sorted(found)
    ids = {group.id: place for place, group in enumerate(trial.effect.groups)}

    def over(name: str) -> dict[str, list[float | None]]:
        return {group: _told(np.array([getattr(found[frame], name)[place] for frame in frames])) for group, place in ids.items()}

    counts = {group: [int(found[frame].counts[place]) for frame in frames] for group, place in ids.items()}
    faulty = next((found[frame] for frame in frames if found[frame].fault), None)
    return OverTimeOut(
        frames=frames, counts=counts, means=over("means"), lows=over("lows"), highs=over("highs"), fault=faulty.fault if faulty else "",
        fault_of_where=faulty is not None and faulty.fault_of_where,
    )  # fmt: skip


@router.post("/trials/{trial_id}/charts/one")
def get_one(trial_id: str, asked: OneAsked, context: Shared) -> OneOut:
    """A quantity of one particle over the frames that are computed, and the rules that acted on it."""
    trial = context.runs.trial(trial_id)
    fault = ""
    found: dict[int, float] = {}
    with names_told(), closing(sampled(context, trial, FRAMES, SECONDS)) as looked_at:
        for frame, moment in looked_at:
            row = row_of(moment.column("id"), asked.particle)
            one = read(moment, asked.of, np.array([], np.intp) if row is None else np.array([row]))
            found[frame] = float(one.values[0]) if len(one.values) else np.nan
            fault = one.fault
            if fault:
                break
    frames = sorted(found)
    values = _told(np.array([found[frame] for frame in frames]))
    return OneOut(frames=frames, values=values, marks=_marks(trial_id, asked.particle, context), fault=fault)


def _marks(trial_id: str, particle: int, context: Shared) -> list[Mark]:
    trial = context.runs.trial(trial_id)
    events = context.runs.events(trial)
    mine = events[events["particle"] == particle]
    marks = []
    for event in mine:
        match event["what"]:
            case Happening.RULE:
                marks.append(Mark(frame=event["frame"], what="begins", item=trial.effect.rules[event["item"]].id))
            case Happening.RULE_END:
                marks.append(Mark(frame=event["frame"], what="ends", item=trial.effect.rules[event["item"]].id))
            case Happening.MOVE:
                marks.append(Mark(frame=event["frame"], what="moves", item=trial.effect.groups[event["present"]].id))
    return marks
