"""Where the time of a run goes: by part of the step, by item, and by look."""

from __future__ import annotations

from fastapi import APIRouter
from pydantic import BaseModel, Field

from hailridge.core.state.costs import PARTS
from hailridge.web.context import Shared

router = APIRouter(prefix="/api", tags=["trials"])


class CostsOut(BaseModel):
    """Seconds of all steps together, shared out: what is charged to items and the rest of each part add up to `seconds`."""

    steps: int
    seconds: float
    parts: dict[str, float] = Field(description="Seconds of each part of the step, in their order; what items in it took is included.")
    rest: dict[str, float] = Field(description="Of each part, what is charged to no item.")
    items: dict[str, float] = Field(description="Seconds by the address of rules, neighbourhoods, fields and sources, each for itself.")
    looks: dict[str, float] = Field(description="Seconds that each look took in the picture drawn last, by its address; not part of a step.")


@router.get("/trials/{trial_id}/costs")
def get_costs(trial_id: str, context: Shared) -> CostsOut:
    """Where the time of a trial's steps has gone so far, measured in the run. Steps taken over from another run are not counted."""
    trial = context.runs.trial(trial_id)
    told = context.runs.costs(trial)
    parts = {part: told.get("parts", {}).get(part, (0.0, 0.0)) for part in PARTS}
    return CostsOut(
        steps=told.get("steps", 0), seconds=sum(whole for whole, _rest in parts.values()),
        parts={part: whole for part, (whole, _rest) in parts.items()}, rest={part: rest for part, (_whole, rest) in parts.items()},
        items=told.get("items", {}), looks=trial.drawn_in,
    )  # fmt: skip
