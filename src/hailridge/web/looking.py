"""Looking closer at a trial: whom a condition holds for, how a quantity is distributed, why, single particles, flows and fields."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from typing import Annotated, Any, Literal, TypeVar

import numpy as np
from fastapi import APIRouter, Query, Response
from pydantic import BaseModel, Field, ValidationError

from hailridge.core.looking.certainty import allowed
from hailridge.core.looking.descent import descent_of
from hailridge.core.looking.field_picture import boundaries, picture_box, scene_box, slice_through
from hailridge.core.looking.flow import flow, slices
from hailridge.core.looking.observe import Holders, distribution, given_range, holders, impacts, quantity_values, row_of, turn_of, values_of
from hailridge.core.looking.why import last_firings
from hailridge.core.scene.moment import Moment
from hailridge.core.state.events import MOST_EVENTS, Happening
from hailridge.core.state.orientation import turned_by
from hailridge.formats.blocks import pack, unpack_columns
from hailridge.model.effect import Effect
from hailridge.model.kind import Part, part_at
from hailridge.model.parts import Amount, Condition, Quantity
from hailridge.model.validation import DocumentError
from hailridge.model.wording import Problem
from hailridge.runs.service import Trial
from hailridge.store.library import NotYet
from hailridge.web.context import Shared
from hailridge.web.trials import BINARY, names_of

router = APIRouter(prefix="/api", tags=["looking closer"])

Piece = TypeVar("Piece", bound=Part)


class Test(BaseModel):
    """Whom to look for: the condition at `path` in the trial's document, or any other one, among groups (none: everyone).

    Amounts that vary by particle draw their values by their place in the document; only by its path does a condition mean exactly what it
    meant in the run.
    """

    condition: dict[str, Any] | None = None
    path: list[str | int] = Field(default_factory=list, max_length=60)
    who: list[str] = Field(default_factory=list)
    otherwise: bool = Field(False, description="Those for whom it does not hold.")


class Reading(BaseModel):
    """A quantity to be spread out in a histogram, and optionally a condition on it to count by. `contacts` reads it at every contact of the run.

    `path` is the place of the condition in the trial's document, as in `Test`.
    """

    quantity: dict[str, Any]
    who: list[str] = Field(default_factory=list)
    condition: dict[str, Any] | None = None
    contacts: bool = False
    path: list[str | int] = Field(default_factory=list, max_length=60)


class Histogram(BaseModel):
    """`thresholds` are the lowest and highest value that each threshold takes over the particles looked at."""

    edges: list[float]
    counts: list[int]
    total: int
    passing: int | None
    low: float
    high: float
    outside: int
    thresholds: list[list[float]]


class _Pieces(Part):
    """Lets single pieces of a document be validated as strictly as the whole."""

    condition: Condition | None = None
    quantity: Quantity | None = None


def pieces(**given: Any) -> _Pieces:
    try:
        return _Pieces.model_validate(given)
    except ValidationError as error:
        first = error.errors(include_url=False)[0]
        raise DocumentError([Problem(tuple(first["loc"]), str(first["loc"][0]), first["msg"])]) from None


def _in_document(moment: Moment, path: list[str | int], kind: type[Piece], otherwise: Piece | None) -> Piece | None:
    """The piece of the moment's scene at a path, where there is one of that kind that says the same; else the piece as given."""
    found = part_at(moment.scene.effect, path)
    same = isinstance(found, kind) and otherwise is not None and found.model_dump() == otherwise.model_dump()
    return found if path and same else otherwise


@router.post("/trials/{trial_id}/frames/{number}/highlight", response_class=Response, responses=BINARY)
def highlight(trial_id: str, number: int, test: Test, context: Shared) -> Response:
    """The ids for whom a condition holds at a frame, as a binary block with `count` and `of`.

    A rule's own condition is answered from the record: whom it held for at its turn, exactly those that its count counts. `left` are those of
    them who have left since, with `left_places` and `left_radii`. Any other condition is asked of the frame as it is.
    """
    trial = context.runs.trial(trial_id)
    given = pieces(condition=test.condition).condition
    check_names(trial, test.who)
    with names_told(), context.runs.moment(trial, number) as moment:
        condition = _in_document(moment, test.path, Condition, given)
        ready = moment.scene.rules_named.get(str(test.path[1])) if test.path[:1] == ["rules"] and len(test.path) > 1 else None
        whole = ready is not None and test.path[2:] == ["condition"] and ready.rule.condition is condition
        if ready is not None and whole:
            found = turn_of(moment, ready, test.otherwise)
        else:
            ids, of = holders(moment, condition, test.who, test.otherwise, ready.off if ready else "")
            found = Holders(ids, ids[:0], np.zeros((0, 3), np.float32), np.zeros(0, np.float32), of)
    head = {"count": len(found.ids) + len(found.left), "of": found.of, "turn": whole}
    arrays = {"ids": found.ids, "left": found.left, "left_places": found.places, "left_radii": found.radii}
    return Response(pack(head, {name: np.ascontiguousarray(array) for name, array in arrays.items()}), media_type="application/octet-stream")


@router.post("/trials/{trial_id}/frames/{number}/histogram")
def histogram(trial_id: str, number: int, reading: Reading, context: Shared) -> Histogram:
    """How a quantity is distributed over some groups at a frame, and how many pass a comparison."""
    trial = context.runs.trial(trial_id)
    given = pieces(quantity=reading.quantity, condition=reading.condition)
    assert given.quantity is not None
    check_names(trial, reading.who)
    passed: int | None = None
    with names_told(), context.runs.moment(trial, number) as moment:
        condition: Any = _in_document(moment, reading.path, Condition, given.condition)
        names = [name for name in ("threshold", "low", "high") if isinstance(getattr(condition, name, None), Amount)]
        if reading.contacts and getattr(given.quantity, "kind", "") == "impact_speed":
            values = impacts(trial.plan, context.runs.events(trial), reading.who)
            thresholds = [ends for name in names if np.isfinite(ends := getattr(condition, name).extent()).all()]
            if names:
                low, high = allowed(condition)
                passed = int(np.count_nonzero((values >= low) & (values <= high)))
        else:
            values = quantity_values(moment, given.quantity, reading.who)
            thresholds = [given_range(moment, getattr(condition, name), reading.who) for name in names]
            if condition is not None:
                passed = len(holders(moment, condition, reading.who)[0])
    spread = distribution(values)
    return Histogram(
        edges=spread.edges.tolist(), counts=spread.counts.tolist(), total=spread.total, passing=passed,
        low=spread.low, high=spread.high, outside=spread.outside, thresholds=[list(pair) for pair in thresholds],
    )  # fmt: skip


@router.get("/trials/{trial_id}/frames/{number}/particles/{particle}")
def probe(trial_id: str, number: int, particle: int, context: Shared) -> dict[str, Any]:
    """One particle at a frame: its values, whether each rule holds for it and why, and its life story; nothing of one that never was."""
    trial = context.runs.trial(trial_id)
    with context.runs.moment(trial, number) as moment:
        found = values_of(moment, particle)
    events = context.runs.events(trial)
    mine = events[events["particle"] == particle]
    touches = context.runs.all_touches(trial)
    story = _story(trial.effect, mine, touches[touches["particle"] == particle])
    if found is not None:
        fired = last_firings(mine, particle, number)
        number_of = {rule.id: index for index, rule in enumerate(trial.effect.rules)}
        for reason in found["reasons"]:
            reason["last"] = fired.get(number_of[reason["rule"]])
    return {"alive": found is not None, "now": found, "story": story}


def _story(effect: Effect, events: Any, touches: Any) -> list[dict[str, Any]]:
    """What has happened to one particle: `item` is the id of the rule, source or shape that it is about, `previous` and `present` those of groups.
    Each contact tells `place` (m) and `normal`, too, of the next of its `touches`."""
    groups, rules = [group.id for group in effect.groups], [rule.id for rule in effect.rules]
    sources, shapes = [source.id for source in effect.sources], [vars(shape)["id"] for shape in effect.shapes]

    def named(ids: list[str], number: int) -> str | None:
        return ids[number] if 0 <= number < len(ids) else None

    out: list[dict[str, Any]] = []
    left = iter(touches)
    for event in events:
        what = Happening(int(event["what"]))
        among = shapes if what is Happening.CONTACT else sources if what is Happening.BIRTH and event["parent"] < 0 else rules
        entry = {name: event[name].item() for name in ("frame", "time", "value", "parent")}
        before, after = named(groups, int(event["previous"])), named(groups, int(event["present"]))
        entry |= {"what": what.name.lower(), "item": named(among, int(event["item"])), "previous": before, "present": after}
        if what is Happening.CONTACT and (touch := next(left, None)) is not None:
            entry |= {"place": touch["place"].tolist(), "normal": touch["normal"].tolist()}
        out.append(entry)
    return out


@router.get("/trials/{trial_id}/frames/{number}/particles/{particle}/descent", response_class=Response, responses=BINARY)
def get_descent(trial_id: str, number: int, particle: int, context: Shared) -> Response:
    """Whom a particle descends from, and the ids of its limb and its family at a frame, as a binary block; an empty one of who never was."""
    trial = context.runs.trial(trial_id)
    with context.runs.moment(trial, number) as moment:
        found = descent_of(moment, particle, context.runs.events(trial))
    if found is None:
        return Response(pack({"generation": None}, {}), media_type="application/octet-stream")
    head = {"generation": found.generation, "family": found.family, "parent": found.parent}
    return Response(pack(head, {"limb": found.limb, "members": found.members}), media_type="application/octet-stream")


@router.get("/trials/{trial_id}/particles/{particle}/track")
def track(
    trial_id: str, particle: int, context: Shared, columns: Annotated[str, Field(max_length=200)] = "speed,radius"
) -> dict[str, list[float | None]]:
    """Attributes of one particle over all computed frames; null where it is not alive."""
    trial = context.runs.trial(trial_id)
    wanted = columns.split(",")
    out: dict[str, list[float | None]] = {name: [] for name in wanted}
    for number in range(context.runs.computed(trial)):
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
    if column is None:
        return None
    # Of a vector its length; of an orientation how far it is turned (degrees).
    match np.shape(column[at]):
        case ():
            return float(column[at])
        case (4,):
            return float(turned_by(column[at].astype(np.float64)))
        case _:
            return float(np.linalg.norm(column[at]))


def check_names(trial: Trial, who: list[str]) -> None:
    for group in who:
        if group not in trial.plan.group_index:
            raise NotYet(f"there is no group '{group}' in this trial")


@contextmanager
def names_told() -> Iterator[None]:
    """Pieces given on their own can name shapes and groups that the trial does not have: say which, instead of failing."""
    try:
        yield
    except KeyError as error:
        raise NotYet(f"the trial has nothing called {error}") from None


class FlowOut(BaseModel):
    """Who flows between groups: slices of time, ribbons (slice, from, to, number; −1 is outside) and moves (slice, from, to, rule, number)."""

    frames: list[int]
    population: list[list[int]]
    ribbons: list[list[int]]
    moves: list[list[int]]
    sampled: bool
    groups: list[str]
    rules: list[str]
    """Ids of what is told by number."""


@router.get("/trials/{trial_id}/flow")
def get_flow(trial_id: str, context: Shared, most: Annotated[int, Query(ge=2, le=24)] = 7) -> FlowOut:
    """How many particles went from which group to which, and by which rules, over the frames computed so far."""
    trial = context.runs.trial(trial_id)
    events = context.runs.events(trial)
    found = flow(events, max(1, len(trial.effect.groups)), slices(max(0, context.runs.computed(trial) - 1), most))
    ribbons, moves = [list(entry) for entry in found.ribbons], [list(entry) for entry in found.moves]
    return FlowOut(
        frames=found.frames, population=found.population, ribbons=ribbons, moves=moves, sampled=len(events) > MOST_EVENTS, **names_of(trial.effect)
    )  # fmt: skip


@router.get("/trials/{trial_id}/frames/{number}/fields/{field}", response_class=Response, responses=BINARY)
def get_field(
    trial_id: str, number: int, field: str, context: Shared, axis: Literal["x", "y", "z"] = "z",
    at: Annotated[float, Query(ge=0, le=1)] = 0.5, surfaces: bool = True,
) -> Response:  # fmt: skip
    """A field at a frame as a binary block: boundary surfaces, a slice through it at a share `at` of the way along an axis, and for a falloff
    a line on which its boundaries can be dragged."""
    trial = context.runs.trial(trial_id)
    arrays: dict[str, Any] = {}
    with context.runs.moment(trial, number) as moment:
        scene = moment.scene
        found = scene.fields.get(field)
        if found is None:
            raise NotYet(f"there is no field '{field}' in this trial that works")
        box = picture_box(scene, found, scene_box(scene, moment.column("position")))
        head: dict[str, Any] = {"field": field, "low": box[0].tolist(), "high": box[1].tolist(), "boundaries": [], "line": None}
        place = "xyz".index(axis)
        where = float(box[0][place] + (box[1][place] - box[0][place]) * at)
        cut = slice_through(scene, found, box, place, where, moment.time)
        head["slice"] = {"axis": axis, "at": where, "corner": cut.corner, "across": cut.across, "up": cut.up}
        head["slice"] |= {"width": cut.values.shape[1], "height": cut.values.shape[0]}
        arrays["slice"] = cut.values
        for boundary in boundaries(scene, found, box, moment.time) if surfaces else ():
            head["boundaries"].append(boundary.name)
            arrays[f"{boundary.name}/vertices"], arrays[f"{boundary.name}/faces"] = boundary.vertices, boundary.faces
        if (line := found.line(scene)) is not None:
            head["line"] = [point.tolist() for point in line]
    return Response(pack(head, arrays), media_type="application/octet-stream")
