"""Contact: fifty thousand against primitives and against a mesh that changes its form, the hail of before, a pile, sticking."""

from __future__ import annotations

import json
import time
from collections.abc import Iterator
from pathlib import Path
from statistics import median

import numpy as np
from tests.support import PLANE, Document, document, rule

from benchmarks.figures import Figure, size, turns
from hailridge import demo
from hailridge.core.scene.assets import MemoryAssets
from hailridge.core.step.simulation import Simulation
from hailridge.model.validation import read_effect

DOCUMENTS = Path(__file__).parent / "documents"

COUNT = size(50_000)


def _shower(*shapes: Document) -> Document:
    """Fifty thousand that fall onto shapes and run over them."""
    cloud = {"kind": "box", "id": "cloud", "label": "Cloud", "size": [6.0, 3.0, 6.0], "position": [0.0, 4.0, 0.0]}
    solid = rule(*({"kind": "bounce", "shape": shape["id"], "bounciness": 0.3, "friction": 0.2} for shape in shapes), id="solid")
    source = {"shape": "cloud", "placement": {"kind": "inside"}, "radius": 0.02}
    return document(rule({"kind": "gravity"}), solid, count=COUNT, source=source, shapes=[cloud, *shapes], clock={"duration": 3.0})


def _rate(raw: Document) -> float:
    """Steps a second from when they have come down, recorded."""
    simulation = Simulation(read_effect(raw), MemoryAssets())
    for _frame in simulation.frames(20):
        pass
    took = []
    while (frame := simulation.frame) < 60:
        start = time.perf_counter()
        simulation.next_frame()
        took.append(time.perf_counter() - start)
        assert simulation.frame > frame
    return 1 / median(took)


def crowds() -> Iterator[Figure]:
    ball = {"kind": "ball", "id": "ball", "label": "Ball", "radius": 1.0, "position": [0.0, 1.0, 0.0]}
    box = {"kind": "box", "id": "box", "label": "Box", "size": [2.0, 1.0, 2.0], "position": [2.0, 0.5, 1.0], "rotation": [0.0, 30.0, 10.0]}
    tube = {"kind": "tube", "id": "tube", "label": "Tube", "radius": 0.5, "height": 2.0, "position": [-2.0, 1.0, 0.0]}
    rate = _rate(_shower(ball, box, tube, PLANE))
    yield Figure(f"{COUNT:,} against a ball, a box, a tube and the floor", rate, "steps/s", 60, "higher", in_time=True)
    swelling = ball | {"id": "swelling", "roughness": 0.15, "roughness_size": 0.17, "roughness_change": 0.6, "radius": 1.4}
    raw = _shower(swelling, PLANE)
    plan = Simulation(read_effect(raw), MemoryAssets()).plan
    faces = len(plan.at(0.0).pose("swelling").geometry.faces)
    name = f"{COUNT:,} against a mesh of {faces:,} triangles that changes its form"
    yield Figure(name, _rate(raw), "steps/s", 15, "higher", in_time=True)


def hail() -> Iterator[Figure]:
    """The hail demo as it was before contact was redone."""
    raw = json.loads((DOCUMENTS / "hail.json").read_text())
    raw["shapes"][0]["asset"] = demo.document("hail-on-the-tin-roof")["shapes"][0]["asset"]
    took = []
    for _turn in range(turns(5, 1)):
        simulation = Simulation(read_effect(raw), demo.assets())
        assert len(simulation.plan.at(0.0).pose(raw["shapes"][0]["id"]).geometry.faces), "a roof is there"
        start = time.perf_counter()
        for _frame in simulation.frames():
            pass
        took.append(time.perf_counter() - start)
    yield Figure("the hail demo of version 0.11, all frames", median(took), "s", None, "lower", "ratio to 0.11: `./run bench against`")


def piles() -> Iterator[Figure]:
    """2 000 in a box, friction 0.4, bounciness 0.2, a step a frame at 24 fps."""
    room = {"kind": "box", "id": "room", "label": "Room", "size": [1.2, 6.0, 1.2], "position": [0.0, 3.0, 0.0]}
    rain = {"kind": "box", "id": "rain", "label": "Rain", "size": [1.09, 2.2, 1.09], "position": [0.0, 2.0, 0.0]}
    acts = rule({"kind": "bounce", "shape": "room", "bounciness": 0.2, "friction": 0.4}, {"kind": "push_apart", "rounds": 16}, id="solid")
    source = {"shape": "rain", "placement": {"kind": "lattice", "spacing": 0.1085}, "emission": {"kind": "fill"}, "radius": 0.05, "speed": 0.02,
              "direction": {"kind": "any"}}  # fmt: skip
    raw = document(rule({"kind": "gravity"}), acts, source=source, shapes=[room, rain], clock={"duration": float(turns(10, 1))})
    energy = []
    for frame in Simulation(read_effect(raw), MemoryAssets()).frames():
        column = frame.columns
        energy.append(float((np.sum(column["velocity"].astype(float) ** 2, axis=1) / 2 + 9.81 * column["position"][:, 1]).sum()))
    speed = 1000 * float(np.linalg.norm(column["velocity"], axis=1).mean())
    yield Figure(f"a pile of {frame.count:,} after 10 s: mean speed", speed, "mm/s", 10, "lower", "16 rounds of pushing apart")
    grown = 100 * float(np.diff(energy).max()) / (energy[0] - energy[-1])
    yield Figure("the most by which its energy rises in a frame, of what it loses", grown, "%", 0, "lower", "overlaps put side by side lift some")


ALL = [crowds, hail, piles]
