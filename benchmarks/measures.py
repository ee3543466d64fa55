"""What is measured, one function a promise. Set-up stays outside of what is timed; each checks that what it timed did its work."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from statistics import median
from typing import Any

import numpy as np
from tests.browser.serving import Server

from benchmarks.figures import TINY, Client, Figure, browsing, computed, delivered, pause, served, size, thinned, timed, turns
from benchmarks.workload import small
from hailridge import demo
from hailridge.core.kernels import threads
from hailridge.core.scene.assets import MemoryAssets
from hailridge.core.step.simulation import Simulation
from hailridge.model.validation import read_effect

DEMO = "hail-on-the-tin-roof"


def hail_speed() -> Iterator[Figure]:
    """The hail demo against real time, and what of it is shards."""
    effect = read_effect(thinned(demo.document(DEMO)))
    made = Simulation(effect, demo.assets())
    frames = list(made.frames())
    assert len(frames) == 121 and frames[-1].population[2] > size(5000)
    seconds = timed(lambda: list(Simulation(effect, demo.assets()).frames()))
    told = f"{made.moment.particles.next_id:,} particles born in 120 frames; real time is 5 s"
    yield Figure("hail demo, faster than real time", 5.0 / seconds, "×", 8.0, "higher", told, 5.0 / seconds, in_time=True)


def fixed_cost() -> Iterator[Figure]:
    """A step of the demo's rules with 100 particles."""
    effect = read_effect(small())
    steps = effect.clock.last_frame

    def work() -> None:
        frames = list(Simulation(effect, demo.assets()).frames())
        assert frames[-1].count >= 95

    yield Figure("a step of the demo's 8 rules, 100 particles", timed(work, 9) / steps * 1000, "ms", 0.5, "lower", "frame recording included")


def linear_growth() -> Iterator[Figure]:
    """Falling particles from ten thousand to a million."""
    costs, each_takes = {}, 0
    source = {"id": "s", "label": "S", "group": "a", "shape": "b", "placement": {"kind": "inside"}, "lifetime": 99.0}
    for whole in (10_000, 100_000, 1_000_000):
        count = size(whole)
        raw = {
            "clock": {"duration": 10.0, "particle_budget": 2_000_000},
            "groups": [{"id": "a", "label": "A"}],
            "shapes": [{"kind": "box", "id": "b", "label": "B", "size": [10.0, 10.0, 10.0]}],
            "sources": [source | {"emission": {"kind": "burst", "count": count}}],
            "rules": [{"id": "fall", "actions": [{"kind": "gravity"}, {"kind": "drag"}]}],
        }
        made = Simulation(read_effect(raw), MemoryAssets(), record=False)
        steps = 40 if whole < 1_000_000 else 12
        made.next_frame()
        made.next_frame()
        start = time.perf_counter()
        for _ in range(steps):
            made.next_frame()
        costs[whole] = (time.perf_counter() - start) / steps
        assert made.moment.count == count
        each_takes = made.moment.particles.bytes_per_particle()
    each = {count: seconds / count * 1e9 for count, seconds in costs.items()}
    told = ", ".join(f"{count:,}: {seconds * 1000:.2f} ms" for count, seconds in costs.items())
    growth = each[1_000_000] / each[100_000]
    yield Figure("step cost a particle, 1 000 000 against 100 000", growth, "×", 1.5, "lower", told, growth)
    yield Figure("step of 1 000 000 falling particles", costs[1_000_000] * 1000, "ms", 200.0, "lower", f"{each[1_000_000]:.0f} ns a particle")
    yield Figure("state of a particle", float(each_takes), "bytes", 200.0, "lower", "rule memory included, two pushes")


def serving() -> Iterator[Figure]:
    """Edits, scrubbing and answers over HTTP, as the page asks for them."""
    with served() as server:
        client = Client(server.url)
        yield Figure("warm start to serving", server.seconds, "s", 3.0, "lower", "process start to first answer, demos put into the library")
        effect = next(entry["id"] for entry in client.json("/api/effects") if entry["name"] == "Hail on the tin roof")
        document = thinned(client.json(f"/api/effects/{effect}")["document"])
        computed(client, effect, document, 120)
        edits = []
        for value in (8.0, 9.9, 10.4, 11.2, 12.0):
            document["rules"][2]["condition"]["threshold"]["value"] = value
            start = time.perf_counter()
            trial = computed(client, effect, document, 48)
            assert len(client.get(f"/api/trials/{trial}/frames/48")) > size(10_000)
            edits.append(time.perf_counter() - start)
        yield Figure("an edit: frame 48 exact again", median(edits) * 1000, "ms", 500.0, "lower", "asked until delivered, over HTTP")
        trial = computed(client, effect, document, 120)
        scrubs = [elapsed(lambda n=n: client.get(f"/api/trials/{trial}/frames/{n}")) for n in (100, 10, 60, 118, 33, 77, 48, 90, 20, 110)]
        yield Figure("scrubbing to a computed frame", median(scrubs) * 1000, "ms", 50.0, "lower", f"slowest {max(scrubs) * 1000:.0f} ms")
        yield answers_while_computing(client, effect, document)


def after_serving() -> Iterator[Figure]:
    """The first picture that is asked for once a server serves: of an effect whose frames are there, and of one that was never computed."""
    raw = demo.document(DEMO)
    with Server() as server:
        client = Client(server.url)
        effect = client.json("/api/effects", {"document": raw})["id"]
        delivered(client, computed(client, effect, raw, size(120)), 60, 1000)
        there, never = [], []
        for number in range(turns(3, 1)):
            for asked, seconds in ((raw, there), (raw | {"clock": raw["clock"] | {"seed": 100 + number}}, never)):
                server.kill()
                server.start()
                start = time.perf_counter()
                delivered(client, computed(client, effect, asked, 0), 0, 100)
                seconds.append(time.perf_counter() - start)
    told = "over HTTP, at once when the server answers; the hail demo's first frame"
    yield Figure("first picture after serving, its frames there", median(there), "s", 0.4, "lower", told)
    yield Figure("first picture after serving, never computed", median(never), "s", 1.2, "lower", told)


def elapsed(work: Callable[[], Any]) -> float:
    start = time.perf_counter()
    work()
    return time.perf_counter() - start


def answers_while_computing(client: Client, effect: str, document: Any) -> Figure:
    document["clock"]["duration"] = 60.0
    document["sources"][0]["emission"]["rate"] = 3000.0
    trial = computed(client, effect, document, 60)
    times = []
    for _ in range(turns(25)):
        times.append(elapsed(lambda: client.json(f"/api/effects/{effect}")))
        times.append(elapsed(lambda: client.json("/api/catalogue")))
        times.append(elapsed(lambda: client.json(f"/api/trials/{trial}")))
    assert client.json(f"/api/trials/{trial}")["state"] == "computing"
    client.json(f"/api/effects/{effect}/stop", {})
    return Figure(
        "an answer while a run is computing", median(times) * 1000, "ms", 50.0, "lower", f"nine in ten within {np.quantile(times, 0.9) * 1000:.0f} ms"
    )


def first_picture() -> Iterator[Figure]:
    """From opening the demo on a warm server to its first picture, in headless Chromium without a graphics card."""
    with browsing() as browser:
        seconds = []
        for _ in range(turns(3, 1)):
            with served() as server:
                # The workers load their kernels while a person is still looking at the library.
                pause(2.5)
                page = browser.new_page(viewport={"width": 1280, "height": 800})
                page.set_default_timeout(120_000)
                page.goto(server.url)
                page.get_by_role("heading", name="Hail on the tin roof").wait_for()
                start = time.perf_counter()
                page.get_by_role("heading", name="Hail on the tin roof").click()
                page.locator('[data-testid=stage][data-frame="0"]').wait_for()
                seconds.append(time.perf_counter() - start)
                page.close()
    yield Figure(
        "first start: opening the demo to its first picture", median(seconds), "s", 2.0, "lower", "nothing computed before; software rendering"
    )


def thread_scaling() -> Iterator[Figure]:
    """Motion and contact of 100 000 particles with a mesh: one thread against two, alternating."""
    raw = demo.document(DEMO)
    raw["sources"][0]["emission"] = {"kind": "burst", "count": size(100_000)}
    raw["clock"] |= {"duration": 1.0, "particle_budget": 110_000}
    raw["rules"] = [rule for rule in raw["rules"] if any(action["kind"] in ("bounce", "gravity") for action in rule["actions"])]
    effect = read_effect(raw)

    def motion(number: int) -> float:
        threads.use_threads(number)
        made = Simulation(effect, demo.assets(), record=False)
        assert list(made.frames())[-1].count > 0.9 * size(100_000)
        return made.clocking.seconds["motion and contact"]

    before, seconds = threads.number_of_threads(), {1: [], 2: []}  # type: ignore[var-annotated]
    for _ in range(turns(4)):
        for number in seconds:
            seconds[number].append(motion(number))
    threads.use_threads(before)
    one, two = min(seconds[1]), min(seconds[2])
    told = f"{one * 1000:.0f} ms against {two * 1000:.0f} ms"
    yield Figure("motion and contact with a mesh, 100 000 particles: one thread against two", one / two, "×", 1.6, "higher", told, one / two)


def kernels() -> Iterator[Figure]:
    """Compiling every kernel with an empty cache, as set-up does."""
    with tempfile.TemporaryDirectory() as folder:
        elsewhere = {} if TINY else {"HAILRIDGE_CACHE": folder}
        start = time.perf_counter()
        subprocess.run([sys.executable, "-m", "hailridge.cli", "warm"], check=True, capture_output=True, env=os.environ | elsewhere)
        seconds = time.perf_counter() - start
    yield Figure("compiling all kernels, empty cache", seconds, "s", 60.0, "lower", f"{threads.number_of_threads()} processes at once")


ALL = [hail_speed, fixed_cost, linear_growth, thread_scaling, kernels, serving, after_serving, first_picture]
