"""Rules and seeing whom they catch: answers about 60 000 particles, many rules at once, and what recording of events costs."""

from __future__ import annotations

import time
from collections.abc import Iterator
from statistics import median
from typing import Any

import numpy as np
from scipy.spatial import cKDTree
from tests.support import compare, document, rule

from benchmarks.figures import TINY, Client, Figure, computed, served, size, turns
from hailridge.core.scene.assets import MemoryAssets
from hailridge.core.scene.near import neighbour_counts
from hailridge.core.state.events import EventLog
from hailridge.core.step.simulation import Simulation
from hailridge.formats.blocks import unpack
from hailridge.model.validation import read_effect

MANY = size(60_000)
ROOM = {"kind": "box", "id": "room", "label": "Room", "size": [4.0, 4.0, 4.0]}
MEAN_NEIGHBOURS = 380 if not TINY else 60
REACH = float((MEAN_NEIGHBOURS / MANY * 64.0 * 3 / (4 * np.pi)) ** (1 / 3))
"""Within this distance (m) lie 380 others on average, walls aside."""


def _crowd(count: int, *rules: dict[str, Any], **rest: Any) -> dict[str, Any]:
    source = {"shape": "room", "placement": {"kind": "inside"}, "direction": {"kind": "any"}}
    speed = {"kind": "spread", "value": 1.0, "spread": 0.8}
    return document(*rules, count=count, speed=speed, shapes=[ROOM], source=source, **rest)


def looking() -> Iterator[Figure]:
    """Highlight, histogram and match count over HTTP: each time another threshold, at a frame looked at before and at ones that are new."""
    fast, crowded = compare("speed", "above", 1.0), compare({"kind": "neighbours", "distance": REACH}, "above", float(MEAN_NEIGHBOURS))
    rules = [rule({"kind": "drag"}, id=name, condition=condition) for name, condition in (("fast", fast), ("crowded", crowded))]
    raw = _crowd(MANY, *rules, clock={"duration": 0.5})
    raw["rules"][1]["enabled"] = False
    with served() as server:
        client = Client(server.url)
        effect = client.json("/api/effects", {"document": raw})["id"]
        raw["rules"][1]["enabled"] = True
        trial = computed(client, effect, raw, 12)
        for what, index, named, condition, goal in (
            ("an attribute", 0, "fast", fast, 100.0), (f"{MEAN_NEIGHBOURS} neighbours", 1, "crowded", crowded, 200.0),
        ):  # fmt: skip
            lows = np.linspace(0.3, 0.8, turns(9)) if index == 0 else np.linspace(0.65, 1.05, turns(9)) * MEAN_NEIGHBOURS
            for name, ask in (("highlight", _highlight), ("histogram with its count", _histogram), ("match counts of a rule", _counts)):
                here, elsewhere = [], []
                for turn, low in enumerate(lows):
                    asked = {**condition, "threshold": {"kind": "fixed", "value": float(low)}}
                    here.append(ask(client, trial, 6, named, asked))
                    elsewhere.append(ask(client, trial, 1 + turn if turn < 5 else 2 + turn, named, asked))
                told = f"same frame again {median(here[1:]) * 1000:.0f} ms, slowest of all {max(elsewhere) * 1000:.0f} ms; over HTTP"
                yield Figure(f"{name}, {what}, 60 000 particles", median(elsewhere) * 1000, "ms", goal, "lower", told)
    yield _against_scipy()


def _highlight(client: Client, trial: str, frame: int, named: str, condition: Any) -> float:
    start = time.perf_counter()
    block = client.post(f"/api/trials/{trial}/frames/{frame}/highlight", {"condition": condition, "who": []})
    seconds = time.perf_counter() - start
    head, arrays = unpack(block)
    assert head["of"] == MANY and 0 < head["count"] == len(arrays["ids"]) < MANY
    return seconds


def _histogram(client: Client, trial: str, frame: int, named: str, condition: Any) -> float:
    start = time.perf_counter()
    found = client.json(f"/api/trials/{trial}/frames/{frame}/histogram", {"quantity": condition["quantity"], "condition": condition})
    seconds = time.perf_counter() - start
    assert found["total"] == MANY and 0 < found["passing"] < MANY
    return seconds


def _counts(client: Client, trial: str, frame: int, named: str, condition: Any) -> float:
    start = time.perf_counter()
    found = client.json(f"/api/trials/{trial}/frames/{frame}/rules/{named}")
    seconds = time.perf_counter() - start
    assert found["branches"][0]["of"] == MANY and found["branches"][0]["holds"] > 0
    return seconds


def _against_scipy() -> Figure:
    """Not a promise: the neighbour count of a rule against SciPy's tree, which gives the same numbers."""
    made = Simulation(read_effect(_crowd(MANY)), MemoryAssets())
    made.next_frame()
    moment = made.moment
    places = moment.column("position").copy()
    rows = moment.everyone()
    neighbour_counts(moment, rows, 0.1, [])
    ours = []
    for turn in range(5):
        # Another distance each time, so that nothing is kept from before.
        start = time.perf_counter()
        found = neighbour_counts(moment, rows, REACH * (1 + turn * 1e-4), [])
        ours.append(time.perf_counter() - start)
    start = time.perf_counter()
    tree = cKDTree(places)
    reference = tree.query_ball_point(places, REACH * (1 + 4e-4), return_length=True, workers=2) - 1
    theirs = time.perf_counter() - start
    # Distances are float32 here: a neighbour exactly at the edge may count for one and not for the other.
    assert np.abs(found - reference).max() <= 2
    told = f"{median(ours) * 1000:.0f} ms against {theirs * 1000:.0f} ms of cKDTree with two workers; mean {reference.mean():.0f} neighbours"
    return Figure("neighbour counts of 60 000 against SciPy", theirs / median(ours), "×", 5.0, "higher", told, theirs / median(ours))


def _twenty(neighbours: bool) -> dict[str, Any]:
    """Twenty rules of every sort on 20 000 particles that move between four groups; with `neighbours` one of them counts those near."""
    either = {"kind": "any", "conditions": [compare("height", "above", 0.0), compare("age", "above", 1.0)]}
    ever = {"kind": "all", "conditions": [compare("speed", "above", 0.5), either]}
    near = {"kind": "not", "condition": compare({"kind": "distance", "shape": "core"}, "above", 2.0)}
    level = {"kind": "between", "quantity": {"kind": "height"}, "low": -1.0, "high": 1.0}
    warm = compare({"kind": "field", "field": "halo"}, "above", 0.5)
    crowded = compare({"kind": "neighbours", "distance": 0.12} if neighbours else {"kind": "place"}, "above", 3.0)
    lately = compare({"kind": "since_rule", "rule": "r5"}, "below", 0.5)
    old = compare("life_fraction", "above", 0.001)
    seldom = {"kind": "chance", "probability": 0.3, "per": "second"}
    veil = {"kind": "noise", "id": "veil", "label": "Veil", "size": 1.0, "change": 0.5}
    halo = {"kind": "falloff", "id": "halo", "label": "Halo", "shape": "core", "inner": 0.5, "outer": 1.5}
    in_field = compare({"kind": "field", "field": "veil"}, "above", 0.5)
    varied = {"kind": "spread", "value": 1.0, "spread": 0.2}
    grow = {"kind": "approach", "attribute": "radius", "amount": 0.08, "time": 0.5}
    shrink = {"kind": "approach", "attribute": "radius", "amount": 0.03, "time": 0.5}
    pale = {"kind": "set", "attribute": "color", "amount": {"kind": "mapped", "quantity": {"kind": "speed"}, "start": 0.0, "end": 2.0,
            "low": [0.2, 0.4, 0.9], "high": [1.0, 0.9, 0.6]}}  # fmt: skip
    to = [{"kind": "move", "group": group} for group in "abcd"]
    rules = [
        rule({"kind": "gravity", "acceleration": 0.4}, id="r1"),
        rule({"kind": "wind", "velocity": [0.3, 0.2, 0.0], "where": "veil"}, id="r2"),
        rule({"kind": "turbulence", "octaves": 2}, id="r3"),
        rule({"kind": "drag", "half_life": 1.0}, id="r4", condition=ever),
        rule(to[1], id="r5", who=["a"], trigger="becomes", condition=in_field),
        rule(to[2], id="r6", who=["b"], condition=compare("time_in_group", "at_least", varied)),
        rule(to[3], id="r7", who=["c"], condition=seldom),
        rule(to[0], id="r8", who=["d"], trigger="stops", condition=compare("speed", "above", 0.6)),
        rule(grow, id="r9", condition=in_field, otherwise=[shrink]),
        rule({**grow, "attribute": "opacity", "amount": 0.4, "springiness": 0.5}, id="r10", who=["c", "d"]),
        rule(pale, id="r11"),
        rule({"kind": "multiply", "attribute": "mass", "factor": 0.9}, id="r12", condition=compare("remaining", "below", 500.0)),
        rule({"kind": "add", "attribute": "count", "amount": 1.0}, id="r13", condition=level),
        rule({"kind": "vortex", "shape": "core"}, id="r14", condition=near),
        rule({"kind": "attract", "shape": "core", "strength": 0.5}, id="r15", who=["a", "b"]),
        rule({"kind": "set", "attribute": "radius", "amount": 0.1}, id="r16", trigger="once", condition=old),
        rule({"kind": "live_on", "time": 100.0}, id="r17", trigger="becomes", condition=warm),
        rule({"kind": "speed_limit", "speed": 3.0}, id="r18"),
        rule({"kind": "add", "attribute": "count", "amount": -1.0}, id="r19", condition=crowded),
        rule({"kind": "add", "attribute": "count", "amount": 2.0}, id="r20", condition=lately),
    ]  # fmt: skip
    core = {"kind": "ball", "id": "core", "label": "Core", "radius": 0.4}
    own = [{"id": "count", "label": "Count"}]
    raw = _crowd(size(20_000), *rules, groups=["a", "b", "c", "d"], attributes=own, fields=[veil, halo], clock={"duration": 5.0})
    raw["shapes"].append(core)
    return raw


def many_rules() -> Iterator[Figure]:
    """Twenty rules on 20 000 particles, recorded; and the same run with and without its events."""
    for neighbours in (False, True):
        effect = read_effect(_twenty(neighbours))
        assert not effect.problems, effect.problems
        seconds, shares, events = _steps(effect)
        name = "twenty rules on 20 000 particles" + (", one counting neighbours" if neighbours else "")
        told = f"{median(seconds) * 1000:.1f} ms a step, recording included; fields, noise, groups, triggers, springs; best {1 / min(seconds):.0f}"
        yield Figure(name, 1 / median(seconds), "steps/s", 60.0, "higher", told)
        if not neighbours:
            assert events > size(100_000)
            told = f"{events:,} events in 60 frames, timed within the run"
            yield Figure("recording of events, share of the step", median(shares) * 100, "%", 15.0, "lower", told)


def _steps(effect: Any) -> tuple[list[float], list[float], int]:
    """Seconds a step of several runs of 60 frames, the share that events took in each, and how many events there were."""
    seconds, shares, total = [], [], 0
    for _ in range(turns(5)):
        made = Simulation(effect, MemoryAssets())
        log = made.moment.log = TimedLog()
        made.next_frame()
        made.next_frame()
        log.seconds = 0.0
        start = time.perf_counter()
        for _ in range(60):
            frame = made.next_frame()
            assert frame is not None and frame.count == size(20_000)
        spent = time.perf_counter() - start
        seconds.append(spent / 60)
        shares.append(log.seconds / (spent - log.seconds))
        total = log.total
    return seconds, shares, total


class TimedLog(EventLog):
    """An event log that knows how long it took: comparing two runs would drown that in the noise of the machine."""

    seconds = 0.0

    def add(self, *arguments: Any, **named: Any) -> None:
        start = time.perf_counter()
        super().add(*arguments, **named)
        self.seconds += time.perf_counter() - start

    def take(self) -> Any:
        start = time.perf_counter()
        events = super().take()
        self.seconds += time.perf_counter() - start
        return events


ALL = [looking, many_rules]
