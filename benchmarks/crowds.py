"""Who is around: counts and the nearest few against SciPy's tree, flocks, and pushing apart; the reference is measured in turns with ours."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from statistics import median
from typing import Any

import numpy as np
from scipy.spatial import cKDTree
from tests.support import Document, document, rule

from benchmarks.figures import Client, Figure, computed, delivered, served, size, thinned, turns
from hailridge.core.scene.around import LIST, around
from hailridge.core.scene.assets import MemoryAssets
from hailridge.core.state.separating import push_apart
from hailridge.core.step.simulation import Simulation
from hailridge.model.kind import kinds
from hailridge.model.validation import read_effect

TURNS = 3


def _crowd(count: int, side: float, hood: Document, *rules: Document, **rest: Any) -> Document:
    """A box with sides of `side` (m) full of particles, and a neighbourhood."""
    room = {"kind": "box", "id": "room", "label": "Room", "size": [side] * 3}
    source = {"shape": "room", "placement": {"kind": "inside"}, "direction": {"kind": "any"}}
    return document(*rules, count=count, shapes=[room], source=source, neighbourhoods=[{"id": "near", "label": "Near", **hood}],
        **{"clock": {"duration": 5.0, "particle_budget": 2_000_000}} | rest)  # fmt: skip


def _in_turns(ours: Callable[[], Any], theirs: Callable[[], Any], turns: int = TURNS) -> tuple[float, float]:
    """Seconds of both, alternating; medians."""
    mine, reference = [], []
    ours()
    for _turn in range(turns):
        for run, seconds in ((ours, mine), (theirs, reference)):
            start = time.perf_counter()
            run()
            seconds.append(time.perf_counter() - start)
    return median(mine), median(reference)


def neighbourhoods() -> Iterator[Figure]:
    """Counting, and the sixteen nearest, as a rule asks for them."""
    for whole, mean, goal in ((60_000, 380, 24.0), (100_000, 30, 14.0), (1_000_000, 30, 24.0)):
        count = size(whole, 2000)
        reach = float((mean / count * 3 / (4 * np.pi)) ** (1 / 3))
        moment = _moment(_crowd(count, 1.0, {"reach": reach}))
        places = moment.column("position").astype(np.float64)

        def counted(moment: Any = moment) -> Any:
            moment.begin_part()
            return around(moment, "near").counts

        def tree(places: Any = places, reach: float = reach) -> Any:
            return cKDTree(places).query_ball_point(places, reach, return_length=True, workers=2) - 1

        mine, theirs = _in_turns(counted, tree, 1 if count > 500_000 else TURNS)
        assert np.abs(counted()[::97] - tree()[::97]).max() <= 2
        told = f"{mine * 1000:.0f} ms against {theirs * 1000:.0f} ms of cKDTree with two workers"
        name = f"neighbours of {whole:_}, {mean} each, against SciPy".replace("_", " ")
        yield Figure(name, theirs / mine, "×", goal, "higher", told, theirs / mine)
    moment = _moment(_crowd(size(100_000), 1.0, {"reach": 1e4, "most": 16}))
    places = moment.column("position").astype(np.float64)

    def nearest() -> Any:
        moment.begin_part()
        return around(moment, "near", f"{LIST} 16").distances

    mine, theirs = _in_turns(nearest, lambda: cKDTree(places).query(places, k=17, workers=2))
    told = f"{mine * 1000:.0f} ms against {theirs * 1000:.0f} ms of cKDTree with two workers; nowhere a reach"
    yield Figure("16 nearest of 100 000 against SciPy", theirs / mine, "×", 3.0, "higher", told, theirs / mine)


def _moment(raw: Document) -> Any:
    made = Simulation(read_effect(raw), MemoryAssets(), record=False)
    made.next_frame()
    return made.moment


def flocks() -> Iterator[Figure]:
    """Whole steps of a flock with what it begins with, the nearest sixteen each."""
    default = kinds("action")["steer"].model_validate({"kind": "steer", "neighbourhood": "near"}).model_dump()
    for whole, goal in ((5_000, 120.0), (20_000, 40.0), (100_000, 8.0)):
        count = size(whole)
        side = float((count / 5) ** (1 / 3))
        raw = _crowd(count, side, {"reach": 3.0, "most": 16, "angle": 300.0}, rule(default, id="fly"), speed=2.0)
        simulation = Simulation(read_effect(raw), MemoryAssets(), record=False)
        for _frame in range(3):
            simulation.next_frame()
        start, frames = time.perf_counter(), max(4, 60_000 // whole)
        for _frame in range(frames):
            simulation.next_frame()
        rate = frames / (time.perf_counter() - start)
        told = "keep apart, match, gather, wander; all of the step but recording"
        yield Figure(f"flock of {whole:,}".replace(",", " "), rate, "steps/s", goal, "higher", told, in_time=True)


def apart() -> Iterator[Figure]:
    """Rounds of pushing apart against SciPy's neighbour counts of the same cloud, and what is left of overlaps after 24 frames."""
    rng, count = np.random.default_rng(7), size(60_000, 2000)
    reach = float((380 / count * 3 / (4 * np.pi)) ** (1 / 3))
    places = rng.random((count, 3)).astype(np.float32)
    radii, masses = np.full(count, (0.4 / count * 3 / (4 * np.pi)) ** (1 / 3), np.float32), np.ones(count, np.float32)
    still = np.zeros((count, 3), np.float32)
    exact = places.astype(np.float64)
    mine, theirs = _in_turns(
        lambda: push_apart(places, still, radii, masses, 1.0, 4),
        lambda: cKDTree(exact).query_ball_point(exact, reach, return_length=True, workers=2),
    )
    told = f"{mine * 1000:.0f} ms; cKDTree with two workers counts 380 neighbours each in {theirs * 1000:.0f} ms"
    yield Figure("pushing apart 60 000 in four rounds, against that count", theirs / mine, "×", 20.0, "higher", told, theirs / mine)
    count = size(20_000)
    radii = np.full(count, (0.5 / count * 3 / (4 * np.pi)) ** (1 / 3), np.float32)
    box: Document = {"kind": "box", "id": "room", "label": "Room", "size": [1.0, 1.0, 1.0]}
    raw = document(rule({"kind": "push_apart"}), count=count, shapes=[box],
        source={"shape": "room", "placement": {"kind": "inside"}, "radius": float(radii[0])})  # fmt: skip
    frames = list(Simulation(read_effect(raw), MemoryAssets()).frames(24))
    found = frames[-1].columns["position"].astype(np.float64)
    pairs = cKDTree(found).query_pairs(2 * float(radii[0]) * 1.01, output_type="ndarray")
    depth = 2 * radii[0] - np.linalg.norm(found[pairs[:, 0]] - found[pairs[:, 1]], axis=1)
    share = float(np.mean(depth < 0.01 * radii[0]))
    told = "20 000 that fill half of a box, four rounds a frame; pairs that overlap by under 1 % of the radius"
    yield Figure("pushed apart after 24 frames", share * 100, "%", 99.9, "higher", told)


def rime() -> Iterator[Figure]:
    """The demo with 60 000: its threshold edited with frame 24 on screen, until that frame is delivered, onward and exact in turns."""
    with served() as server:
        client = Client(server.url)
        effect = next(each["id"] for each in client.json("/api/effects") if each["name"] == "Rime in the gaps")
        raw = client.json(f"/api/effects/{effect}")["document"]
        raw["sources"][0]["emission"]["count"] = 60_000
        whole = thinned(raw)
        ground = computed(client, effect, whole, 95)
        threshold = whole["rules"][0]["condition"]["conditions"][1]["threshold"]
        seconds: dict[str, list[float]] = {"onward": [], "exact": []}
        for turn in range(turns(4)):
            for name, times in seconds.items():
                threshold["value"] = 700.0 + 10 * turn + (5 if name == "exact" else 0)
                start = time.perf_counter()
                asked = {"document": whole, "frame": 24, **({"onward": ground} if name == "onward" else {})}
                trial = client.json(f"/api/effects/{effect}/trials", asked)["id"]
                delivered(client, trial, 24, size(1_000_000))
                times.append(time.perf_counter() - start)
    for name, goal in (("onward", 400.0), ("exact", 2000.0)):
        took = median(seconds[name][1:]) * 1000
        yield Figure(f"rime, its threshold edited: frame 24 {name}", took, "ms", goal, "lower", "60 000 particles, over HTTP")


ALL = [neighbourhoods, flocks, apart, rime]
