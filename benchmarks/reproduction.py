"""Growth: plain splitting, an explosion that the budget stops while the server goes on answering, and the forecast of both."""

from __future__ import annotations

import time
from collections.abc import Iterator
from statistics import median

from tests.support import Document, compare, document, rule

from benchmarks.figures import Client, Figure, computed, served, size, turns
from hailridge import demo
from hailridge.core.scene.assets import MemoryAssets
from hailridge.core.step.simulation import Simulation
from hailridge.model.validation import read_effect


def _culture(age: float, **clock: float) -> Document:
    """Two that split in two at an age, and so do all that come of them."""
    split: Document = {"kind": "spawn", "count": 2.0, "group": "a", "parent": "removed", "lifetime": 1000.0, "speed": 0.3}
    return document(rule(split, id="split", condition=compare("age", "at_least", age)), count=2, clock={"duration": 8.0, **clock})


def splitting() -> Iterator[Figure]:
    """From two to fifty thousand, all frames until then."""
    took = []
    for _turn in range(turns(3, 1)):
        simulation = Simulation(read_effect(_culture(0.4)), MemoryAssets())
        start = time.perf_counter()
        while simulation.next_frame().count < size(50_000):
            pass
        took.append(time.perf_counter() - start)
    told = f"{simulation.frame} frames with all that is recorded"
    yield Figure("from 2 to 50 000 by plain splitting", median(took), "s", 3.0, "lower", told)


def explosion() -> Iterator[Figure]:
    """A split without limit over HTTP: until the run has told that the default budget stopped it; how long other answers take meanwhile; its
    forecast."""
    with served() as server:
        client = Client(server.url)
        effect = client.json("/api/effects", {"document": _culture(0.1)})["id"]
        whole = client.json(f"/api/effects/{effect}")["document"]
        # Whoever computes has been woken by an effect before.
        computed(client, effect, _culture(3.0), 10)
        answers, forecasts = [], []
        start = time.perf_counter()
        trial = client.json(f"/api/effects/{effect}/trials", {"document": whole, "frame": 0})["id"]
        while True:
            asked = time.perf_counter()
            state = client.json(f"/api/trials/{trial}")
            answers.append(time.perf_counter() - asked)
            if any(finding.get("code") == "budget" for finding in state["findings"]):
                break
            time.sleep(0.02)
        stopped = time.perf_counter() - start
        for turn in range(turns(5)):
            whole["clock"]["seed"] = turn + 2
            asked = time.perf_counter()
            told = client.json("/api/effects/forecast", whole)
            forecasts.append(time.perf_counter() - asked)
        assert told["budget_at"] is not None
    yield Figure("a split without limit: told that the budget stopped it", stopped, "s", 5.0, "lower", "200 000, over HTTP")
    yield Figure("a split without limit: the slowest answer meanwhile", max(answers) * 1000, "ms", 50.0, "lower", f"of {len(answers)}")
    yield Figure("forecast of an explosion", median(forecasts) * 1000, "ms", 200.0, "lower", f"to the budget at frame {told['budget_at']}, over HTTP")


def frost() -> Iterator[Figure]:
    """Frost with finer crystals, up to 20 000: each makes room for the others and gives birth while few are near."""
    fine = 0.0062
    raw = demo.document("frost-over-a-pane")
    raw["dials"][0]["value"] = 5.0
    raw["clock"] |= {"duration": 60.0, "particle_budget": size(20_000)}
    raw["neighbourhoods"][0]["reach"] = fine * 3.1
    raw["sources"][0]["radius"] = raw["rules"][0]["actions"][0]["radius"] = fine
    simulation = Simulation(read_effect(raw), demo.assets())
    while simulation.moment.count < size(20_000):
        simulation.next_frame()
    took = []
    for _turn in range(turns(60)):
        start = time.perf_counter()
        simulation.next_frame()
        took.append(time.perf_counter() - start)
    reference = "one step a frame, with all that is recorded"
    yield Figure("frost of 20 000, crowded and pushing apart", 1 / median(took), "steps/s", 40.0, "higher", reference, in_time=True)


ALL = [splitting, explosion, frost]
