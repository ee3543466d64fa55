"""Formulas as they are written: what they may name, what is wrong with one, and what its lines give at a frame."""

from __future__ import annotations

from typing import Any, Literal

from fastapi import APIRouter
from pydantic import BaseModel, Field

from hailridge.core.looking.formulas import Sort, looked_at, vocabulary
from hailridge.core.looking.plainer import Slot, plainer
from hailridge.web.context import Shared
from hailridge.web.looking import check_names, names_told

router = APIRouter(prefix="/api", tags=["formulas"])


class WordOut(BaseModel):
    """Something that a formula may name: how it is written, its type and unit, and what it is."""

    word: str
    insert: str
    sort: Literal["attribute", "clock", "quantity", "function", "thing", "constant", "snippet"]
    type: Literal["number", "vector", "flag"]
    unit: str
    help: str


@router.get("/trials/{trial_id}/words")
def get_words(trial_id: str, context: Shared, fields: bool = False) -> list[WordOut]:
    """All that formulas of an effect may name; `fields`: those that are fields."""
    return [WordOut(**vars(word)) for word in vocabulary(context.runs.trial(trial_id).effect, fields)]


class Draft(BaseModel):
    """A formula as it stands in the editor: what it is, among whom to look (none: everyone), and the particle that was picked."""

    text: str = Field(max_length=4000)
    sort: Sort = "value"
    slot: Slot | None = Field(None, description="What it stands for, where a plain sentence could stand in its place.")
    who: list[str] = Field(default_factory=list, max_length=200)
    particle: int | None = Field(None, ge=0, lt=2**53)


class FaultOut(BaseModel):
    """What is wrong with a formula, where (from 1), how long the wrong word is, and the known one nearest to it."""

    text: str
    line: int
    column: int
    wrong: str
    instead: str


class GivenOut(BaseModel):
    """What a line gives (line 0: what is read), of the picked particle and over all that are looked at; for how many it is no number."""

    line: int
    name: str
    type: Literal["number", "vector", "flag"]
    own: list[float] | None
    low: list[float] | None
    high: list[float] | None
    spoilt: int


class AdviceOut(BaseModel):
    """What is probably not meant, and where (from 1)."""

    text: str
    line: int
    column: int


class LookedOut(BaseModel):
    fault: FaultOut | None
    type: Literal["number", "vector", "flag"]
    values: list[GivenOut]
    advice: list[AdviceOut] = []
    plainer: dict[str, Any] | None = Field(None, description="The part of a document that says the same as a sentence, where one does.")


@router.post("/trials/{trial_id}/frames/{number}/formula")
def look_at(trial_id: str, number: int, draft: Draft, context: Shared) -> LookedOut:
    """What a formula gives at a frame, line by line, or what is wrong with it. Names are those of the trial's document."""
    trial = context.runs.trial(trial_id)
    check_names(trial, draft.who)
    with names_told(), context.runs.moment(trial, number) as moment:
        found = looked_at(moment, draft.sort, draft.text, draft.who, draft.particle)
    error = found.fault
    fault = None if error is None else FaultOut(text=error.told, line=error.line, column=error.column, wrong=error.wrong, instead=error.instead)
    said = None if fault is not None or draft.slot is None else plainer(trial.effect, draft.slot, draft.text)
    advice = [AdviceOut(**vars(one)) for one in found.advice]
    return LookedOut(fault=fault, type=found.type, values=[GivenOut(**vars(value)) for value in found.values], advice=advice, plainer=said)
