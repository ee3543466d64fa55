"""Sources, forces, live tuning and frame rates: what is measured of getting particles on screen and moving."""

from __future__ import annotations

import time
from collections.abc import Iterator
from statistics import median
from typing import Any

import numpy as np
import trimesh
from numpy.typing import NDArray
from tests.core.test_curves import keys
from tests.support import document, rule, run

from benchmarks.figures import Client, Figure, browsing, computed, delivered, served, size, turns
from hailridge.core.scene.assets import MemoryAssets, Mesh
from hailridge.core.step.simulation import Simulation
from hailridge.model.validation import read_effect

Floats = NDArray[np.float32]


def births() -> Iterator[Figure]:
    """60 000 born in one frame, evenly by area, on a mesh of 20 480 triangles that has been loaded."""
    made = trimesh.creation.icosphere(subdivisions=5)
    assets = MemoryAssets({"mesh": Mesh(made.vertices.astype(np.float32), made.faces.astype(np.int32))})
    raw = document(
        count=size(60_000),
        shapes=[{"kind": "mesh", "id": "mesh", "label": "Mesh", "asset": "mesh"}],
        source={
            "shape": "mesh",
            "placement": {"kind": "surface"},
            "direction": {"kind": "normal", "cone": 30.0},
            "lifetime": {"kind": "spread", "value": 2.0, "spread": 1.0},
            "radius": {"kind": "spread", "value": 0.02, "spread": 0.01},
        },
    )
    seconds = []
    for _ in range(6):
        simulation = Simulation(read_effect(raw), assets, record=False)
        start = time.perf_counter()
        frame = simulation.next_frame()
        seconds.append(time.perf_counter() - start)
        assert frame is not None and frame.count == size(60_000)
    told = "20 480 triangles; speed, cone, lifetime and radius vary"
    yield Figure("60 000 births in one frame on a mesh", median(seconds[1:]) * 1000, "ms", 100.0, "lower", told)


PUSHES = (
    {"kind": "gravity"},
    {"kind": "drag", "half_life": 1.0},
    {"kind": "wind", "velocity": [2.0, 0.0, 0.5], "half_life": 1.5},
    {"kind": "turbulence", "octaves": 3, "size": 1.5, "strength": 3.0},
)


def forces() -> Iterator[Figure]:
    """Gravity, drag, wind and curl noise in three octaves, against the same step written plainly in NumPy."""
    for whole, goal, steps in ((100_000, 60.0, 30), (1_000_000, 6.0, 8)):
        count = size(whole)
        raw = document(
            rule(*PUSHES),
            count=count,
            speed=1.0,
            source={"shape": "box", "placement": {"kind": "inside"}, "direction": {"kind": "any"}},
            shapes=[{"kind": "box", "id": "box", "label": "Box", "size": [4.0, 4.0, 4.0]}],
            clock={"particle_budget": 5_000_000, "duration": 5.0},
        )
        simulation = Simulation(read_effect(raw), MemoryAssets(), record=False)
        for _ in range(3):
            simulation.next_frame()
        ours = []
        for _ in range(steps):
            start = time.perf_counter()
            simulation.next_frame()
            ours.append(time.perf_counter() - start)
        assert simulation.moment.count == count
        position, velocity = (simulation.moment.column(name).copy() for name in ("position", "velocity"))
        plain = []
        for _ in range(2 if whole > 500_000 else 4):
            start = time.perf_counter()
            _plain_step(position, velocity)
            plain.append(time.perf_counter() - start)
        ratio = median(plain) / median(ours)
        told = f"{median(ours) * 1000:.1f} ms a step; plain NumPy {median(plain) * 1000:.0f} ms: {ratio:.0f} times (goal 15)"
        yield Figure(f"{whole:,} with gravity, drag, wind and 3-octave curl noise", 1 / median(ours), "steps/s", goal, "higher", told, ratio)
        yield Figure(f"the same against plain NumPy, {whole:,}", ratio, "×", 15.0, "higher", "same step, float32, vectorised over particles", ratio)


def _plain_step(position: Floats, velocity: Floats, dt: float = 1 / 24) -> None:
    """What a practised hand writes in NumPy: the noise of three potentials by its eight corners, forces summed, one step."""
    middle = position + velocity * np.float32(dt / 2)
    force = np.zeros_like(position)
    scale, strength = np.float32(1 / 1.5), np.float32(3.0)
    for octave in range(3):
        slopes = [_plain_slopes(middle * scale, np.uint32(3 * octave + potential)) for potential in range(3)]
        force[:, 0] += strength * (slopes[2][:, 1] - slopes[1][:, 2])
        force[:, 1] += strength * (slopes[0][:, 2] - slopes[2][:, 0])
        force[:, 2] += strength * (slopes[1][:, 0] - slopes[0][:, 1])
        scale, strength = scale * np.float32(2), strength * np.float32(0.5)
    force[:, 1] -= np.float32(9.81)
    drag = np.float32(np.log(2) / 1.0 + np.log(2) / 1.5)
    terminal = (force + np.array([2.0, 0.0, 0.5], np.float32) * np.float32(np.log(2) / 1.5)) / drag
    kept = np.float32(np.exp(-drag * dt))
    position += terminal * np.float32(dt) + (velocity - terminal) * (1 - kept) / drag
    velocity[:] = terminal + (velocity - terminal) * kept


def _plain_slopes(places: Floats, salt: np.uint32) -> Floats:
    """Gradient noise on a hashed lattice: its slopes (n, 3)."""
    cell = np.floor(places)
    inner = places - cell
    whole = cell.astype(np.int32).astype(np.uint32)
    smooth = inner**3 * (inner * (inner * 6 - 15) + 10)
    slope = 30 * inner**2 * (inner - 1) ** 2
    out = np.zeros_like(places)
    for corner in range(8):
        side = np.array([corner & 1, (corner >> 1) & 1, corner >> 2], np.uint32)
        at = whole + side
        with np.errstate(over="ignore"):
            hashed = (
                at[:, 0] * np.uint32(0x8DA6B343) ^ at[:, 1] * np.uint32(0xD8163841) ^ at[:, 2] * np.uint32(0xCB1AB31F) ^ salt * np.uint32(0x165667B1)
            )
            hashed = (hashed ^ (hashed >> np.uint32(16))) * np.uint32(0x7FEB352D)
            hashed = (hashed ^ (hashed >> np.uint32(15))) * np.uint32(0x846CA68B)
            hashed = hashed ^ (hashed >> np.uint32(16))
        gradient = np.stack([(hashed >> np.uint32(8 * k)) & np.uint32(255) for k in range(3)], axis=1).astype(np.float32) * np.float32(2 / 255) - 1
        away = inner - side.astype(np.float32)
        dot = np.sum(gradient * away, axis=1)
        weight = np.where(side, smooth, 1 - smooth)
        turn = np.where(side, slope, -slope)
        product = weight[:, 0] * weight[:, 1] * weight[:, 2]
        out[:, 0] += turn[:, 0] * weight[:, 1] * weight[:, 2] * dot + product * gradient[:, 0]
        out[:, 1] += weight[:, 0] * turn[:, 1] * weight[:, 2] * dot + product * gradient[:, 1]
        out[:, 2] += weight[:, 0] * weight[:, 1] * turn[:, 2] * dot + product * gradient[:, 2]
    return out


def _stream() -> dict[str, Any]:
    """5 000 particles by frame 24, born on a ball that moves along a path."""
    raw = document(
        rule({"kind": "gravity", "acceleration": 2.0}, {"kind": "drag"}, {"kind": "turbulence"}),
        clock={"duration": 4.0},
        speed=1.0,
        shapes=[
            {"kind": "path", "id": "route", "label": "Route", "points": [[-2.0, 0.5, 0.0], [-0.5, 1.6, 1.0], [1.0, 0.6, -1.0], [2.4, 1.8, 0.0]]},
            {"kind": "ball", "id": "ball", "label": "Nozzle", "radius": 0.3, "path": "route", "travel": keys((0, 0.0), (0.9, 50.0), (2, 100.0))},
        ],
        source={
            "shape": "ball",
            "placement": {"kind": "surface"},
            "emission": {"kind": "rate", "rate": 5000.0},
            "direction": {"kind": "normal"},
            "inherit": 50.0,
        },
    )
    return raw | {"name": "Stream"}


def live_tuning() -> Iterator[Figure]:
    """A path's point, a shape and a key dragged: until the exact frame 24 of 5 000 particles is delivered, and until it is on the stage."""
    with served() as server:
        client = Client(server.url)
        effect = client.json("/api/effects", {"document": _stream()})["id"]
        whole = client.json(f"/api/effects/{effect}")["document"]
        computed(client, effect, whole, 96)
        time.sleep(1.0)

        def drag(change: Any) -> float:
            seconds = []
            for turn in range(turns(12)):
                change(turn)
                start = time.perf_counter()
                # As the page asks: which trial is this, and its frame as soon as it is there.
                trial = client.json(f"/api/effects/{effect}/trials", {"document": whole, "frame": 24})["id"]
                delivered(client, trial, 24, 100_000)
                seconds.append(time.perf_counter() - start)
            return median(seconds) * 1000

        route, ball = whole["shapes"][1], whole["shapes"][2]
        for name, change in (
            ("a path's point", lambda turn: route["points"][1].__setitem__(1, 1.6 + 0.05 * turn)),
            ("a shape", lambda turn: ball.__setitem__("radius", 0.3 + 0.01 * turn)),
            ("an early key", lambda turn: ball["travel"]["keys"][1].__setitem__("value", 50.0 - turn)),
            ("a later key", lambda turn: ball["travel"]["keys"][2].__setitem__("value", 100.0 - turn)),
        ):
            yield Figure(f"dragging {name}: frame 24 delivered", drag(change), "ms", 100.0, "lower", "5 000 particles, exact, over HTTP")
        yield _on_the_stage(server.url, effect)


def _on_the_stage(url: str, effect: str) -> Figure:
    with browsing() as browser:
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.set_default_timeout(120_000)
        page.goto(f"{url}/effects/{effect}")
        page.get_by_text("all frames computed").wait_for()
        page.get_by_test_id("frame").fill("24")
        page.get_by_test_id("frame").press("Enter")
        page.locator('[data-testid=stage][data-frame="24"]').wait_for()
        page.get_by_role("listitem", name="Route", exact=True).click(position={"x": 50, "y": 10})
        # From a move of the mouse with the point in hand to the new picture's arrival on the stage, timed inside the page.
        box = page.get_by_role("button", name="Point 2 of Route").bounding_box()
        assert box
        page.mouse.move(box["x"] + 7, box["y"] + 7)
        page.mouse.down()
        seconds = []
        for turn in range(turns(14, 3)):
            page.evaluate(
                """() => {
                    const stage = document.querySelector('[data-testid=stage]');
                    const before = stage.dataset.trial;
                    window.arrived = new Promise((done) => {
                        let start = 0;
                        window.addEventListener('pointermove', () => (start = performance.now()), { once: true, capture: true });
                        const watch = new MutationObserver(() => {
                            if (stage.dataset.trial !== before) { watch.disconnect(); done(performance.now() - start); }
                        });
                        watch.observe(stage, { attributes: true });
                    });
                }"""
            )
            page.mouse.move(box["x"] + 7 + 4 * (turn % 5), box["y"] - 3 * (turn % 7))
            seconds.append(page.evaluate("window.arrived"))
            page.wait_for_timeout(600)
        page.mouse.up()
        page.close()
    told = f"headless Chromium, drawn by the same two processor cores that compute; slowest {max(seconds[2:]):.0f} ms"
    return Figure("dragging a path's point: the new frame 24 on the stage", median(seconds[2:]), "ms", 100.0, "lower", told)


def frame_rates() -> Iterator[Figure]:
    """How far results at 24, 30 and 60 frames a second lie apart after two seconds, as a part of the way gone."""
    cases = {
        "drag": ([{"kind": "drag", "half_life": 0.4}, {"kind": "gravity"}], {"speed": 5.0, "axis": [1.0, 1.0, 0.0]}),
        "square-law drag": ([{"kind": "square_drag", "distance": 3.0}, {"kind": "gravity"}], {"speed": 15.0, "axis": [1.0, 1.0, 0.0]}),
        "turbulence": (
            [{"kind": "turbulence", "strength": 3.0, "size": 1.5, "octaves": 2}, {"kind": "drag", "half_life": 0.7}],
            {"count": 500, "speed": 1.0, "source": {"direction": {"kind": "any"}}},
        ),
    }
    for name, (actions, rest) in cases.items():
        ends = []
        for fps in (24.0, 30.0, 60.0):
            raw = document(rule(*actions), clock={"frames_per_second": fps, "duration": 2.0}, **rest)  # type: ignore[arg-type]
            ends.append(run(raw)[-1].columns["position"])
        way = np.linalg.norm(ends[-1], axis=1).mean()
        apart = max(np.linalg.norm(end - ends[-1], axis=1).mean() for end in ends) / way
        yield Figure(f"24, 30 and 60 frames a second apart, {name}", float(apart * 100), "%", 1.0, "lower", "mean distance over mean way after 2 s")
