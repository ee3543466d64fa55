"""Touches of a trial: those of a frame for the stage, all of them as a table to take away; and strays, with what threw them."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from fastapi import APIRouter, Query
from fastapi.responses import Response
from pydantic import BaseModel

from hailridge.core.looking.strays import Strays, strays_of
from hailridge.formats.clips import file_stem
from hailridge.formats.touches import csv_lines
from hailridge.store.library import NotYet
from hailridge.web.context import Shared
from hailridge.web.trials import UNKEPT

router = APIRouter(prefix="/api", tags=["looking closer"])

MOST_SHOWN = 3000
"""Touches that the stage is told of; of more, the hardest."""


class TouchesOut(BaseModel):
    """Touches of some frames: how many there were, and of those shown, the hardest first, the places (m) and directions off the surface one after the
    other, the speeds onto it (m/s), the frames, and whose they were; `shapes` are ids, none for another particle."""

    count: int
    places: list[float]
    normals: list[float]
    speeds: list[float]
    frames: list[int]
    particles: list[int]
    shapes: list[str | None]


@router.get("/trials/{trial_id}/frames/{number}/touches")
def get_touches(trial_id: str, number: int, context: Shared, back: Annotated[int, Query(ge=0, le=240)] = 0) -> TouchesOut:
    """What has touched what within a frame and the `back` frames before it."""
    trial = context.runs.trial(trial_id)
    bake = context.bakes.bake(trial.key)
    if bake is None or not 0 <= number < bake.computed:
        raise NotYet(f"frame {number} is not computed yet")
    touches = context.runs.touches(trial, max(0, number - back), number)
    shown = touches[np.argsort(-touches["speed"], kind="stable")[:MOST_SHOWN]]
    ids: list[str | None] = [*(str(vars(shape)["id"]) for shape in trial.effect.shapes), None]
    rate = trial.effect.clock.frames_per_second
    return TouchesOut(
        count=len(touches), places=shown["place"].reshape(-1).tolist(), normals=shown["normal"].reshape(-1).tolist(), speeds=shown["speed"].tolist(),
        frames=np.ceil(shown["time"].astype(np.float64) * rate - 1e-3).astype(int).tolist(), particles=shown["particle"].tolist(),
        shapes=[ids[shape] for shape in shown["shape"]],
    )  # fmt: skip


@router.get("/trials/{trial_id}/frames/{number}/strays")
def get_strays(trial_id: str, number: int, context: Shared) -> Strays:
    """Who is far out at a frame, what threw them there, and a box that would hold all others."""
    trial = context.runs.trial(trial_id)
    with context.runs.moment(trial, number) as moment:
        return strays_of(moment, context.runs.events(trial), context.runs.all_touches(trial))


@router.get("/trials/{trial_id}/touches.csv", response_class=Response, responses={200: {"content": {"text/csv": {}}}})
def get_touch_table(trial_id: str, context: Shared) -> Response:
    """Every touch of the computed frames as CSV, a line each (`formats.touches`)."""
    trial = context.runs.trial(trial_id)
    text = csv_lines(trial.effect, context.runs.touches(trial))
    file = file_stem(trial.effect.name) or "effect"
    headers = {"Content-Disposition": f'attachment; filename="{file}-touches.csv"'} | UNKEPT
    return Response(text, media_type="text/csv", headers=headers)
