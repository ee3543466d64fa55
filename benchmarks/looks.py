"""Looks: what reaches the page of 100 000 particles and of long trails, how fast it is drawn without a graphics card, and the law of trails."""

from __future__ import annotations

import time
from collections.abc import Iterator
from statistics import median
from typing import Any

import numpy as np
from tests.support import document, moment_of, rule

from benchmarks.figures import TINY, Client, Figure, browsing, computed, pause, served, size
from hailridge.core.looking.observe import layers

ROOM = {"kind": "box", "id": "room", "label": "Room", "size": [4.0, 4.0, 4.0]}
TRAILS = {"kind": "trails", "id": "t", "length": {"kind": "by_points", "points": 300}}
RAMP = {"kind": "ramp", "quantity": {"kind": "speed"}, "start": 0.0, "end": 2.0, "ramp": {"named": "viridis"}}


def discs(count: int) -> dict[str, Any]:
    source = {"shape": "room", "placement": {"kind": "inside"}, "direction": {"kind": "any"}, "radius": 0.01}
    raw = document(count=count, speed={"kind": "spread", "value": 1.0, "spread": 0.8}, shapes=[ROOM], source=source, clock={"duration": 1.0})
    return raw | {"looks": [{"kind": "discs", "id": "d", "layers": [RAMP]}]}


def trails(count: int) -> dict[str, Any]:
    source = {"shape": "room", "placement": {"kind": "inside"}, "direction": {"kind": "any"}, "radius": 0.01}
    swirl = rule({"kind": "turbulence", "strength": 3.0, "size": 1.0}, id="swirl")
    clock = {"duration": 11.0, "frames_per_second": 30.0}
    return document(swirl, count=count, speed=1.0, shapes=[ROOM], source=source, clock=clock) | {"looks": [TRAILS]}


DELIVER = """async ([trial, frames]) => {
  const times = [];
  for (const number of frames) {
    const begun = performance.now();
    const buffer = await (await fetch(`/api/trials/${trial}/frames/${number}`)).arrayBuffer();
    const length = new DataView(buffer).getUint32(0, true);
    const { arrays } = JSON.parse(new TextDecoder().decode(new Uint8Array(buffer, 4, length)));
    for (const [dtype, shape, offset] of Object.values(arrays)) {
      const View = { f4: Float32Array, u1: Uint8Array, i4: Int32Array, i2: Int16Array }[dtype];
      new View(buffer, 4 + length + offset, shape.reduce((a, b) => a * b, 1));
    }
    times.push(performance.now() - begun);
  }
  return times;
}"""

TURNING = """async () => {
  const canvas = document.querySelector('[data-testid=stage] canvas');
  const box = canvas.getBoundingClientRect();
  const at = (type, x) => {
    const buttons = type === 'pointerup' ? 0 : 1;
    canvas.dispatchEvent(new PointerEvent(type, { pointerId: 1, button: 0, buttons, clientX: x, clientY: box.top + 200, bubbles: true }));
  };
  const frame = () => new Promise((resolve) => requestAnimationFrame(resolve));
  canvas.setPointerCapture = () => undefined;
  canvas.releasePointerCapture = () => undefined;
  at('pointerdown', box.left + 100);
  for (let k = 0; k < 3; k++) { at('pointermove', box.left + 101 + k); await frame(); }
  const gl = canvas.getContext('webgl2');
  const begun = performance.now();
  let drawn = 0;
  while (performance.now() - begun < 4000 && drawn < 120) {
    at('pointermove', box.left + 104 + drawn * 2);
    await frame();
    gl.readPixels(0, 0, 1, 1, gl.RGBA, gl.UNSIGNED_BYTE, new Uint8Array(4));
    drawn++;
  }
  at('pointerup', box.left + 110);
  return drawn / ((performance.now() - begun) / 1000);
}"""


def drawing() -> Iterator[Figure]:
    """Frames over HTTP into typed arrays of a page, and how often the stage draws them while one turns it; headless, software rendering."""
    with served() as server, browsing() as browser:
        client = Client(server.url)
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.set_default_timeout(120_000)
        pieces = (("100 000 discs on a ramp", discs(size(100_000)), 24, 60.0), ("2 000 trails of 300 points", trails(size(2_000)), 330, 250.0))
        for what, raw, last, goal in pieces:
            effect = client.json("/api/effects", {"document": raw})["id"]
            trial = computed(client, effect, raw, last)
            page.goto(f"{server.url}/effects/{effect}")
            page.get_by_text("all frames computed").wait_for(timeout=240_000)
            frames = list(range(last - 9, last))
            # The first look back gathers what all later ones share.
            page.evaluate(DELIVER, [trial, frames[:1]])
            times = page.evaluate(DELIVER, [trial, frames[1:]])
            megabytes = len(client.get(f"/api/trials/{trial}/frames/{last}")) / 1e6
            told = f"{megabytes:.1f} MB; from asking to typed arrays in headless Chromium, slowest {max(times):.0f} ms"
            yield Figure(f"a frame of {what} reaches the page", median(times), "ms", goal, "lower", told)
            page.get_by_test_id("frame").fill(str(last))
            page.get_by_test_id("frame").press("Enter")
            page.locator(f'[data-testid=stage][data-frame="{last}"]').wait_for(timeout=60_000)
            pause(2)
            rate = page.evaluate(TURNING)
            told = "reported: drawn by the processor, there is no graphics card here"
            yield Figure(f"turning the stage with {what}", rate, "pictures/s", None, "higher", told)
        page.close()


BY_SPEED = {"kind": "mapped", "quantity": {"kind": "speed"}, "start": 0.0, "end": 2.0, "low": 200.0, "high": 400.0}
VARIED = {
    **TRAILS,
    "length": {"kind": "by_points", "points": BY_SPEED},
    "laid_while": {"kind": "compare", "quantity": {"kind": "speed"}, "comparison": "above", "threshold": 0.5},
}


def varied_trails() -> Iterator[Figure]:
    """Trails whose lengths follow the speed and that are laid by a condition, against plain ones of the same run, in turns."""
    with served() as server, browsing() as browser:
        client, page = Client(server.url), browser.new_page()
        page.set_default_timeout(120_000)
        page.goto(server.url)
        plain, last = trails(size(2_000)), 330
        asked = []
        for raw in (plain, plain | {"looks": [VARIED]}):
            asked.append(computed(client, client.json("/api/effects", {"document": raw})["id"], raw, last))
        times: list[list[float]] = [[], []]
        for first in (last - 30, last - 15):
            for trial, spent in zip(asked, times, strict=True):
                page.evaluate(DELIVER, [trial, [first]])
                spent += page.evaluate(DELIVER, [trial, list(range(first + 1, first + 9))])
        page.close()
    middle = [median(spent) for spent in times]
    told = f"plain {middle[0]:.0f} ms, varied {middle[1]:.0f} ms a frame, in turns"
    yield Figure("2 000 trails of 200 to 400 points by speed, with gaps, against 300 points each", middle[1] / middle[0], "times", 1.3, "lower", told)


def pictures() -> Iterator[Figure]:
    """A finished picture at 1280 × 720, sixteen samples, of the signal flare; headless, software rendering."""
    with served() as server, browsing() as browser:
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.set_default_timeout(120_000)
        page.goto(server.url)
        page.get_by_role("heading", name="Signal flare").click()
        page.get_by_text("all frames computed").wait_for(timeout=120_000)
        page.keyboard.press("p")
        page.get_by_role("button", name="Still or clip").click()
        small = (("Width", 160), ("Height", 90), ("Samples", 2)) if TINY else ()
        for label, value in (("From frame", 80), ("to", 84), *small):
            page.get_by_label(label, exact=True).fill(str(value))
            page.get_by_label(label, exact=True).press("Enter")
        begun = time.perf_counter()
        page.get_by_role("button", name="Make it").click()
        page.get_by_role("link", name="Save signal-flare.mp4").wait_for(timeout=240_000)
        each = (time.perf_counter() - begun) / 5
        page.close()
    told = "reported: signal flare, glow and exposure, H.264; software rendering"
    yield Figure("a finished picture of a clip, 1280 × 720, 16 samples", each, "s", 60.0, "lower", told)


def trail_law() -> Iterator[Figure]:
    """How long trails are: by points, and with a spacing at different frame rates."""

    def line(fps: float, **look: Any) -> tuple[float, int]:
        gravity = rule({"kind": "gravity"}, id="fall")
        wind = rule({"kind": "wind", "velocity": [2.0, 0.0, 1.0]}, id="wind")
        raw = document(gravity, wind, speed=8.0, clock={"duration": 11.0, "frames_per_second": fps})
        raw["looks"] = [{**TRAILS, **look}]
        points = layers(moment_of(raw))[0].extra["points"][1:-1, :3].astype(np.float64)
        return float(np.linalg.norm(np.diff(points, axis=0), axis=1).sum()), len(points)

    _far, number = line(24.0, length={"kind": "by_points", "points": 120})
    yield Figure("120 points at 24 frames a second", number / 24, "s", 5.0, "higher", "a point a frame; common practice, no source")
    found = [line(fps, spacing=0.1)[0] for fps in (24.0, 25.0, 30.0, 60.0)]
    apart = (max(found) - min(found)) / min(found) * 100
    told = "24, 25, 30 and 60 frames a second, a point every 0.1 m; " + ", ".join(f"{far:.2f} m" for far in found)
    yield Figure("length of a trail with a spacing, between frame rates", apart, "%", 2.0, "lower", told)


ALL = [drawing, varied_trails, pictures, trail_law]
