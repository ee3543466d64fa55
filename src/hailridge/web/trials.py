"""Trials: asking for frames, reading them, and looking closer: highlights, distributions, single particles."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from typing import Annotated, Any, TypeVar

import numpy as np
from fastapi import APIRouter, Query, Response
from pydantic import BaseModel, Field, ValidationError

from hailridge.core.bodies import Body
from hailridge.core.events import Happening
from hailridge.core.observe import distribution, holders, impacts, layers, passing, quantity_values, row_of, values_of
from hailridge.core.scene import drifts
from hailridge.core.transforms import Transform
from hailridge.formats.blocks import pack, unpack_columns
from hailridge.model.kind import Part
from hailridge.model.parts import Amount, Condition, Quantity
from hailridge.model.validation import DocumentError, Problem, read_effect
from hailridge.runs.service import Trial
from hailridge.store.library import NotFound
from hailridge.web.context import Shared

router = APIRouter(prefix="/api", tags=["trials"])

Piece = TypeVar("Piece", bound=Part)

BINARY: dict[int | str, dict[str, Any]] = {200: {"content": {"application/octet-stream": {}}}}
FOREVER = {"Cache-Control": "private, max-age=86400, immutable"}


class Ask(BaseModel):
    """Which document to run: the saved one, or one that is being tried while a value is dragged."""

    document: dict[str, Any] | None = None
    frame: int = Field(0, ge=0, le=1_000_000, description="The frame on the page's stage: handed over first.")
    onward: str | None = Field(None, max_length=64, description="Go on from that frame of this trial, provisionally.")


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
    frames_per_second: float
    provisional_from: int | None = None
    any_frame: bool = False


class Test(BaseModel):
    """Whom to look for: the condition at `path` in the trial's document, or any other one, among groups (none: everyone).

    Amounts that vary by particle draw their values by their place in the document; only by its path does a condition mean exactly what it
    meant in the run.
    """

    condition: dict[str, Any] | None = None
    path: list[str | int] = Field(default_factory=list, max_length=60)
    who: list[str] = Field(default_factory=list)


class Reading(BaseModel):
    """A quantity to be spread out in a histogram, and optionally a comparison to count by. `contacts` reads it at every contact of the run.

    `path` is the place of the threshold in the trial's document, as in `Test`.
    """

    quantity: dict[str, Any]
    who: list[str] = Field(default_factory=list)
    comparison: str | None = None
    threshold: dict[str, Any] | None = None
    contacts: bool = False
    path: list[str | int] = Field(default_factory=list, max_length=60)


class Histogram(BaseModel):
    edges: list[float]
    counts: list[int]
    total: int
    passing: int | None
    low: float
    high: float
    outside: int


class _Pieces(Part):
    """Lets single pieces of a document be validated as strictly as the whole."""

    condition: Condition | None = None
    quantity: Quantity | None = None
    threshold: Amount | None = None


def _pieces(**given: Any) -> _Pieces:
    try:
        return _Pieces.model_validate(given)
    except ValidationError as error:
        first = error.errors(include_url=False)[0]
        raise DocumentError([Problem(tuple(first["loc"]), str(first["loc"][0]), first["msg"])]) from None


def _in_document(trial: Trial, path: list[str | int], kind: type[Piece], otherwise: Piece | None) -> Piece | None:
    """The piece of the trial's document at a path, where there is one of that kind that says the same; else the piece as given."""
    found: Any = trial.effect
    for key in path:
        if isinstance(found, list) and isinstance(key, int) and 0 <= key < len(found):
            found = found[key]
        else:
            found = getattr(found, key, None) if isinstance(key, str) and isinstance(found, Part) else None
    same = isinstance(found, kind) and otherwise is not None and found.model_dump() == otherwise.model_dump()
    return found if path and same else otherwise


@router.post("/effects/{effect_id}/trials")
def open_trial(effect_id: str, ask: Ask, context: Shared) -> TrialOut:
    """The trial of the effect's document; computing starts if it has not been computed before."""
    row = context.library.effect(effect_id)
    effect = read_effect(ask.document if ask.document is not None else row.document)
    trial, status = context.runs.open(effect_id, effect, ask.frame, ask.onward)
    any_frame = drifts(effect) and context.runs.trial(trial.id).scene.without_history
    return TrialOut(id=trial.id, key=trial.bake_key, frames_per_second=effect.clock.frames_per_second, any_frame=any_frame, **status)


@router.get("/trials/{trial_id}")
def get_trial(trial_id: str, context: Shared) -> TrialOut:
    trial = context.runs.trial(trial_id)
    status = context.runs.status(trial.key, trial.effect)
    any_frame = trial.scene.without_history
    return TrialOut(id=trial.id, key=trial.key, frames_per_second=trial.effect.clock.frames_per_second, any_frame=any_frame, **status)


@router.post("/effects/{effect_id}/stop")
def stop(effect_id: str, context: Shared) -> bool:
    """Stop computing; the frames that are there stay."""
    return context.runs.stop(effect_id)


@router.get("/trials/{trial_id}/stats")
def get_stats(trial_id: str, context: Shared, start: int = 0) -> list[dict[str, Any]]:
    """Counts per frame from `start` on: population by group, births, deaths, and for each rule looked, held, acted."""
    return context.bakes.stats(context.runs.trial(trial_id).key, start)


@router.get("/trials/{trial_id}/frames/{number}", response_class=Response, responses=BINARY)
def get_frame(trial_id: str, number: int, context: Shared, wait: Annotated[float, Query(ge=0, le=5)] = 0.0) -> Response:
    """A frame ready to draw, as a binary block: one set of arrays a look. One that is being computed is waited for up to `wait` seconds."""
    trial = context.runs.trial(trial_id)
    if wait:
        context.runs.await_frame(trial, number, wait)
    with context.runs.moment(trial, number) as moment:
        drawn = layers(moment)
        head: dict[str, Any] = {"frame": number, "stored": moment.frame, "time": moment.time, "count": moment.count, "layers": [], "shapes": []}
        arrays: dict[str, Any] = {}
        head["keyed"] = moment.scene.keyed_values()
        if "effect_time" in trial.effect.clock.tracks:
            head["keyed"]["clock/effect_time"] = moment.time
        for body in moment.scene.bodies.changing:
            _describe(body, head["shapes"], arrays, body.deforming)
    for index, layer in enumerate(drawn):
        head["layers"].append(
            {"look": layer.look, "shader": layer.shader, "pixels": layer.pixels, "ratio": layer.ratio, "count": len(layer.radius)}
        )
        for name in ("position", "radius", "color", "id", "group", "orientation"):
            if (array := getattr(layer, name)) is not None:
                arrays[f"{index}/{name}"] = array
    return Response(pack(head, arrays), media_type="application/octet-stream", headers=FOREVER)


@router.get("/trials/{trial_id}/shapes", response_class=Response, responses=BINARY)
def get_shapes(trial_id: str, context: Shared) -> Response:
    """Every shape at the beginning: triangles or line in its own space and where that is in the world, as a binary block."""
    trial = context.runs.trial(trial_id)
    head: dict[str, Any] = {"shapes": []}
    arrays: dict[str, Any] = {}
    with trial.lock:
        trial.scene.look_at(0.0)
        for body in trial.scene.bodies.list:
            _describe(body, head["shapes"], arrays, True)
    return Response(pack(head, arrays), media_type="application/octet-stream", headers=FOREVER)


def _describe(body: Body, heads: list[dict[str, Any]], arrays: dict[str, Any], with_geometry: bool) -> None:
    """Where a shape is: `matrix` takes its own space into the world, `carrier` the space in which its position is given (column by column)."""
    pose, shape = body.end, body.shape
    heads.append({
        "id": shape.id, "index": body.index, "visible": shape.visible, "kind": getattr(shape, "kind", ""), "line": pose.geometry.line,
        "matrix": _matrix(pose.transform), "carrier": _matrix(body.carrier), "geometry": with_geometry,
    })  # fmt: skip
    if with_geometry:
        arrays[f"shape {body.index}/vertices"] = pose.geometry.vertices
        arrays[f"shape {body.index}/faces"] = pose.geometry.faces


def _matrix(transform: Transform) -> list[float]:
    whole = np.eye(4)
    whole[:3, :3] = transform.rotation * transform.scale
    whole[:3, 3] = transform.translation
    return [float(value) for value in whole.T.ravel()]


@router.post("/trials/{trial_id}/frames/{number}/highlight", response_class=Response, responses=BINARY)
def highlight(trial_id: str, number: int, test: Test, context: Shared) -> Response:
    """The ids for whom a condition holds at a frame, as a binary block with `count` and `of`."""
    trial = context.runs.trial(trial_id)
    condition = _in_document(trial, test.path, Condition, _pieces(condition=test.condition).condition)
    _check_names(trial, test.who)
    with _names_told(), context.runs.moment(trial, number) as moment:
        ids, of = holders(moment, condition, test.who)
    return Response(pack({"count": len(ids), "of": of}, {"ids": np.ascontiguousarray(ids)}), media_type="application/octet-stream")


@router.post("/trials/{trial_id}/frames/{number}/histogram")
def histogram(trial_id: str, number: int, reading: Reading, context: Shared) -> Histogram:
    """How a quantity is distributed over some groups at a frame, and how many pass a comparison."""
    trial = context.runs.trial(trial_id)
    pieces = _pieces(quantity=reading.quantity, threshold=reading.threshold)
    assert pieces.quantity is not None
    threshold = _in_document(trial, reading.path, Amount, pieces.threshold)
    _check_names(trial, reading.who)
    passed: int | None = None
    with _names_told(), context.runs.moment(trial, number) as moment:
        if reading.contacts and getattr(pieces.quantity, "kind", "") == "impact_speed":
            values = impacts(trial.scene, context.runs.events(trial), reading.who)
            if reading.comparison is not None and threshold is not None:
                middle = float(np.mean(threshold.extent()))
                passed = int(np.count_nonzero(values > middle if reading.comparison in ("above", "at_least") else values < middle))
        else:
            values = quantity_values(moment, pieces.quantity, reading.who)
            if reading.comparison is not None and threshold is not None:
                passed = passing(moment, pieces.quantity, reading.comparison, threshold, reading.who)
    spread = distribution(values)
    return Histogram(
        edges=spread.edges.tolist(), counts=spread.counts.tolist(), total=spread.total, passing=passed,
        low=spread.low, high=spread.high, outside=spread.outside,
    )  # fmt: skip


@router.get("/trials/{trial_id}/frames/{number}/particles/{particle}")
def probe(trial_id: str, number: int, particle: int, context: Shared) -> dict[str, Any]:
    """One particle at a frame: its values, whether each rule holds for it and why, and its life story."""
    trial = context.runs.trial(trial_id)
    with context.runs.moment(trial, number) as moment:
        found = values_of(moment, particle)
    events = context.runs.events(trial)
    story = _story(events[events["particle"] == particle])
    if found is None and not story:
        raise NotFound(f"there is no particle {particle} in this effect")
    return {"alive": found is not None, "now": found, "story": story}


def _story(events: Any) -> list[dict[str, Any]]:
    out: list[dict[str, Any]] = []
    for event in events:
        entry = {name: event[name].item() for name in ("frame", "time", "item", "previous", "present", "value", "parent")}
        out.append({**entry, "what": Happening(int(event["what"])).name.lower()})
    return out


@router.get("/trials/{trial_id}/particles/{particle}/track")
def track(
    trial_id: str, particle: int, context: Shared, columns: Annotated[str, Field(max_length=200)] = "speed,radius"
) -> dict[str, list[float | None]]:
    """Attributes of one particle over all computed frames; null where it is not alive."""
    trial = context.runs.trial(trial_id)
    bake = context.bakes.bake(trial.key)
    wanted = columns.split(",")
    out: dict[str, list[float | None]] = {name: [] for name in wanted}
    for number in range(bake.computed if bake else 0):
        state, count = unpack_columns(context.bakes.frame(trial.key, number).state)
        row = row_of(state["id"], particle) if count else None
        for name in wanted:
            out[name].append(None if row is None else _read_one(state, name, row))
    return out


def _read_one(state: dict[str, Any], name: str, at: int) -> float | None:
    if name == "speed":
        return float(np.linalg.norm(state["velocity"][at]))
    if name == "height":
        return float(state["position"][at, 1])
    column = state.get(name, state.get(f"own {name}"))
    return float(np.linalg.norm(column[at])) if column is not None else None


def _check_names(trial: Trial, who: list[str]) -> None:
    for group in who:
        if group not in trial.scene.group_index:
            raise NotFound(f"there is no group '{group}' in this trial")


@contextmanager
def _names_told() -> Iterator[None]:
    """Pieces given on their own can name shapes and groups that the trial does not have: say which, instead of failing."""
    try:
        yield
    except KeyError as error:
        raise NotFound(f"the trial has nothing called {error}") from None
