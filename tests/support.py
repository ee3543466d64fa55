"""Small effects for tests: a document is built from pieces, run, and read back as arrays."""

from __future__ import annotations

import sys
from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import NDArray

import hailridge.core  # noqa: F401  (loads the registry)
from hailridge.core.looking.observe import recorded_moment
from hailridge.core.scene.assets import Assets, MemoryAssets, Mesh
from hailridge.core.scene.moment import Moment
from hailridge.core.scene.plan import Plan
from hailridge.core.step.simulation import Frame, Simulation
from hailridge.model.effect import Effect
from hailridge.model.validation import read_effect

Document = dict[str, Any]


def compare(quantity: str | dict[str, Any], comparison: str, threshold: Any) -> Document:
    """A comparison condition; a quantity without fields may be given by its kind."""
    read = {"kind": quantity} if isinstance(quantity, str) else quantity
    return {"kind": "compare", "quantity": read, "comparison": comparison, "threshold": threshold}


def rule(*actions: Document, **rest: Any) -> Document:
    """A rule with an id that tells its actions."""
    name = rest.pop("id", "-".join(action["kind"] for action in actions) or "rule")
    return {"id": name, "actions": list(actions), **rest}


def document(
    *rules: Document,
    count: int = 1,
    position: list[float] | None = None,
    speed: Any = 0.0,
    axis: list[float] | None = None,
    groups: list[str] | None = None,
    **changes: Any,
) -> Document:
    """One burst at time 0 from a point, in group 'a', living for ever; `changes` replace parts of source, clock or document."""
    source: Document = {
        "id": "source",
        "label": "Source",
        "group": (groups or ["a"])[0],
        "shape": "point",
        "placement": {"kind": "centre"},
        "emission": {"kind": "burst", "count": count},
        "direction": {"kind": "axis", "axis": axis or [0.0, 1.0, 0.0]},
        "speed": speed,
        "radius": 0.05,
        "lifetime": 1000.0,
    }
    source |= changes.pop("source", {})
    clock = {"duration": 2.0} | changes.pop("clock", {})
    shapes = [
        {"kind": "point", "id": "point", "label": "Point", "position": position or [0.0, 0.0, 0.0]},
        *changes.pop("shapes", []),
    ]
    named = [{"id": name, "label": name.capitalize()} for name in groups or ["a"]]
    return {
        "format": 7,
        "name": "test",
        "clock": clock,
        "shapes": shapes,
        "groups": named,
        "sources": [source],
        "rules": list(rules),
    } | changes


def run(raw: Document | Effect, last: int | None = None, assets: Assets | None = None) -> list[Frame]:
    """All frames up to `last`."""
    effect = raw if isinstance(raw, Effect) else read_effect(raw)
    return list(Simulation(effect, assets or MemoryAssets()).frames(last))


def simulation(
    raw: Document, last: int | None = None, assets: Assets | None = None
) -> tuple[Simulation, list[Frame]]:
    """The simulation itself too, for findings and internal state."""
    made = Simulation(read_effect(raw), assets or MemoryAssets())
    return made, list(made.frames(last))


def moment_of(raw: Document | Effect, last: int | None = None, assets: Assets | None = None) -> Moment:
    """The last frame of a run as looks see it, with the frames before it to look back on."""
    effect = raw if isinstance(raw, Effect) else read_effect(raw)
    frames = run(effect, last, assets)
    plan = Plan(effect, assets or MemoryAssets())

    def at(number: int) -> Moment:
        return recorded_moment(plan, frames[number].columns, frames[number].count, number)

    moment = at(frames[-1].number)
    moment.past = at
    return moment


def calls(work: Callable[[], Any]) -> int:
    """How many Python functions are called in the course of it: what it costs, on whatever machine."""
    counted = 0

    def count(_frame: Any, event: str, _given: Any) -> None:
        nonlocal counted
        counted += event == "call"

    before = sys.getprofile()
    sys.setprofile(count)
    try:
        work()
    finally:
        sys.setprofile(before)
    return counted


def track(frames: list[Frame], column: str, particle: int = 0) -> NDArray[np.float64]:
    """One particle's attribute over the frames in which it lives: (frames,) or (frames, 3)."""
    found = [
        frame.columns[column][frame.columns["id"] == particle][0]
        for frame in frames
        if particle in frame.columns["id"]
    ]
    return np.array(found, np.float64)


def mesh_of(vertices: list[list[float]], faces: list[list[int]]) -> Mesh:
    return Mesh(np.array(vertices, np.float32), np.array(faces, np.int32))


PLANE: Document = {"kind": "plane", "id": "plane", "label": "Plane", "width": 200.0, "depth": 200.0}
