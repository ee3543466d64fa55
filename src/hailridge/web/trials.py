"""Trials: asking for frames, reading them, and looking closer: highlights, distributions, single particles."""

from __future__ import annotations

from typing import Annotated, Any

import numpy as np
from fastapi import APIRouter, Query, Response
from numpy.typing import NDArray
from pydantic import BaseModel, Field

from hailridge.core.kinds.looks.instances import Instances
from hailridge.core.looking.observe import layers
from hailridge.core.looking.roles import helpers
from hailridge.core.scene.bodies import Standing
from hailridge.core.scene.moment import Moment
from hailridge.core.scene.plan import Scene, drifts
from hailridge.core.space.transforms import Transform
from hailridge.formats.blocks import pack
from hailridge.model.effect import Effect
from hailridge.model.validation import read_effect
from hailridge.web.context import Shared

router = APIRouter(prefix="/api", tags=["trials"])

BINARY: dict[int | str, dict[str, Any]] = {200: {"content": {"application/octet-stream": {}}}}
FOREVER = {"Cache-Control": "private, max-age=86400, immutable"}

UNKEPT = {"Cache-Control": "no-store"}
"""Frames are kept by the page itself, up to a bound: a browser that writes megabytes to its disk for each hands them over a fifth later."""


class Ask(BaseModel):
    """Which document to run: the saved one, or one that is being tried while a value is dragged."""

    document: dict[str, Any] | None = None
    frame: int = Field(0, ge=0, le=1_000_000, description="The frame on the page's stage: handed over first.")
    onward: str | None = Field(None, max_length=64, description="Go on from that frame of this trial, provisionally.")
    beside: bool = Field(False, description="Compute it beside the effect's own run, to compare the two.")


class TrialOut(BaseModel):
    """A trial and how far its frames are computed. `computed` frames from 0 on can be read."""

    id: str
    key: str
    state: str
    computed: int
    last: int
    seconds: float
    message: str
    findings: list[dict[str, Any]]
    waiting: list[str] | None = Field(None, description="Names of the effects whose runs it waits for; none where it does not wait.")
    frames_per_second: float
    provisional_from: int | None = None
    any_frame: bool = False
    names: dict[str, list[str]] = Field(description="Ids by collection, in the order of the run's document: what counts are told by.")


def names_of(effect: Effect) -> dict[str, list[str]]:
    """Ids of a run's groups and rules, in the order in which its counts are."""
    return {"groups": [group.id for group in effect.groups], "rules": [rule.id for rule in effect.rules]}


@router.post("/effects/{effect_id}/trials")
def open_trial(effect_id: str, ask: Ask, context: Shared) -> TrialOut:
    """The trial of the effect's document; computing starts if it has not been computed before."""
    row = context.library.effect(effect_id)
    effect = read_effect(ask.document if ask.document is not None else row.document)
    trial, status = context.runs.open(effect_id, effect, ask.frame, ask.onward, ask.beside)
    any_frame = drifts(effect) and context.runs.trial(trial.id).plan.without_history
    names, rate = names_of(effect), effect.clock.frames_per_second
    return TrialOut(id=trial.id, key=trial.bake_key, frames_per_second=rate, any_frame=any_frame, names=names, **status)


@router.get("/trials/{trial_id}")
def get_trial(trial_id: str, context: Shared) -> TrialOut:
    trial = context.runs.trial(trial_id)
    status = context.runs.status(trial.key, trial.effect)
    any_frame = trial.plan.without_history
    return TrialOut(
        id=trial.id, key=trial.key, frames_per_second=trial.effect.clock.frames_per_second, any_frame=any_frame, names=names_of(trial.effect),
        **status,
    )  # fmt: skip


@router.post("/effects/{effect_id}/stop")
def stop(effect_id: str, context: Shared, beside: bool = False) -> bool:
    """Stop computing, or only what the effect is compared with; the frames that are there stay."""
    return context.runs.stop(effect_id, beside)


@router.get("/trials/{trial_id}/stats")
def get_stats(trial_id: str, context: Shared, start: int = 0) -> list[dict[str, Any]]:
    """Counts per frame from `start` on: population by group, births, deaths, and for each rule looked, held, acted, in the order of `names`."""
    return context.bakes.stats(context.runs.trial(trial_id).key, start)


@router.get("/trials/{trial_id}/frames/{number}", response_class=Response, responses=BINARY)
def get_frame(
    trial_id: str, number: int, context: Shared, wait: Annotated[float, Query(ge=0, le=5)] = 0.0, motion: bool = False
) -> Response:
    """A frame ready to draw, as a binary block: one set of arrays a look. One that is being computed is waited for up to `wait` seconds.

    With `motion`, velocities come along, and where the camera goes until the next frame: what an exposure needs.
    """
    trial = context.runs.trial(trial_id)
    if wait:
        context.runs.await_frame(trial, number, wait)
    with context.runs.moment(trial, number) as moment:
        plan, drawn = trial.plan, layers(moment)
        trial.drawn_in = dict(moment.drawn_in)
        head: dict[str, Any] = {"frame": number, "stored": moment.frame, "time": moment.time, "count": moment.count, "layers": [], "shapes": []}
        arrays: dict[str, Any] = {}
        head["keyed"] = plan.keyed_values(moment.time)
        head["view"] = plan.view(moment.time)
        if motion:
            head["view_next"] = plan.view(moment.time + 1 / trial.effect.clock.frames_per_second)
            for layer in drawn:
                layer.extra["velocity"] = _velocities(moment, layer.id)
        if "effect_time" in trial.effect.clock.tracks:
            head["keyed"]["clock/effect_time"] = moment.time
        regions = helpers(trial.effect)
        for standing in plan.stage.changing:
            _describe(moment.scene, standing, head["shapes"], arrays, standing.deforming, standing.shape.id in regions)
    for index, layer in enumerate(drawn):
        head["layers"].append(layer.head())
        arrays |= {f"{index}/{name}": array for name, array in layer.arrays().items()}
    return Response(pack(head, arrays), media_type="application/octet-stream", headers=UNKEPT)


def _velocities(moment: Moment, ids: NDArray[np.int32]) -> NDArray[np.float32]:
    """Velocities of particles by id; zero for those that are gone (trails left behind): (k, 3) m/s."""
    known, velocity = moment.column("id"), moment.column("velocity")
    if len(known) == 0:
        return np.zeros((len(ids), 3), np.float32)
    at = np.searchsorted(known, ids).clip(0, len(known) - 1)
    return np.asarray(velocity.take(at, axis=0) * (known[at] == ids)[:, None], np.float32)


@router.get("/trials/{trial_id}/forms", response_class=Response, responses=BINARY)
def get_forms(trial_id: str, context: Shared) -> Response:
    """The solid forms that looks draw particles as, each within a ball of radius 1, as a binary block: look by look, in order of picking."""
    trial = context.runs.trial(trial_id)
    head: dict[str, Any] = {"forms": {}}
    arrays: dict[str, Any] = {}
    for index, look in enumerate(trial.effect.looks):
        if isinstance(look, Instances) and trial.effect.works("looks", index):
            forms = look.forms(trial.plan.beginning)
            head["forms"][look.id] = len(forms)
            for number, geometry in enumerate(forms):
                arrays[f"{look.id}/{number}/vertices"] = geometry.vertices
                arrays[f"{look.id}/{number}/faces"] = geometry.faces
    return Response(pack(head, arrays), media_type="application/octet-stream", headers=FOREVER)


@router.get("/trials/{trial_id}/shapes", response_class=Response, responses=BINARY)
def get_shapes(trial_id: str, context: Shared) -> Response:
    """Every shape at the beginning: triangles or line in its own space and where that is in the world, as a binary block."""
    trial = context.runs.trial(trial_id)
    head: dict[str, Any] = {"shapes": []}
    arrays: dict[str, Any] = {}
    regions = helpers(trial.effect)
    for standing in trial.plan.stage.list:
        _describe(trial.plan.beginning, standing, head["shapes"], arrays, True, standing.shape.id in regions)
    return Response(pack(head, arrays), media_type="application/octet-stream", headers=FOREVER)


def _describe(
    scene: Scene, standing: Standing, heads: list[dict[str, Any]], arrays: dict[str, Any], with_geometry: bool, region: bool
) -> None:  # fmt: skip
    """Where a shape is: `matrix` takes its own space into the world, `carrier` the space in which its position is given (column by column).

    A `region` is only there to be asked about.
    """
    pose, shape, index = scene.poses[standing.index], standing.shape, standing.index
    heads.append({
        "id": shape.id, "index": index, "visible": shape.visible, "kind": vars(shape)["kind"], "line": pose.geometry.line,
        "matrix": _matrix(pose.transform), "carrier": _matrix(pose.carrier), "geometry": with_geometry,
        "region": region,
    })  # fmt: skip
    if with_geometry:
        arrays[f"shape {index}/vertices"] = pose.geometry.vertices
        arrays[f"shape {index}/faces"] = pose.geometry.faces


def _matrix(transform: Transform) -> list[float]:
    whole = np.eye(4)
    whole[:3, :3] = transform.rotation * transform.scale
    whole[:3, 3] = transform.translation
    return [float(value) for value in whole.T.ravel()]
