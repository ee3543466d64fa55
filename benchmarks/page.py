"""The page itself: what it weighs, how soon it is there, what a played frame costs it. Headless Chromium, drawn by the processor."""

from __future__ import annotations

import json
import re
import urllib.request
from collections.abc import Iterator
from pathlib import Path
from statistics import median
from typing import Any

from playwright.sync_api import Page
from tests.browser.serving import WELCOMED
from tests.support import document, rule

from benchmarks.figures import Figure, browsing, served, size, turns

ASSETS = Path(__file__).resolve().parents[1] / "frontend" / "dist" / "assets"
DEMO = "Hail on the tin roof"
SECONDS = turns(6, 1)

OPENED = """async (name) => {
  const wait = (time) => new Promise((resolve) => setTimeout(resolve, time));
  const painted = () => new Promise((resolve) => requestAnimationFrame(() => setTimeout(resolve)));
  const heading = [...document.querySelectorAll('h2, h3')].find((heading) => heading.textContent.includes(name));
  // Whoever clicks has pointed at it before.
  heading.closest('a').focus();
  await wait(100);
  const begun = performance.now();
  heading.click();
  const shown = () => [...document.querySelectorAll('img[data-opening]')].some((image) => image.complete && image.naturalWidth);
  while (!shown()) await wait(2);
  await painted();
  const first = performance.now() - begun;
  while (!document.querySelector('[data-testid=stage]')?.dataset.frame) await wait(5);
  return [first, performance.now() - begun];
}"""

COUNTED = """() => {
  window.played = 0;
  let last = null;
  const look = () => {
    const { frame } = document.querySelector('[data-testid=stage]').dataset;
    if (frame !== last) window.played++;
    last = frame;
    requestAnimationFrame(look);
  };
  look();
}"""


READY = f"""new MutationObserver((_, watching) => {{
  if (![...document.querySelectorAll("h2")].some((heading) => heading.textContent === {DEMO!r})) return;
  window.ready = performance.now();
  watching.disconnect();
}}).observe(document, {{ childList: true, subtree: true }});"""
"""Run before a page's own scripts: notes when the effects are there."""


def loaded(page: Page, until: float = 1e9) -> float:
    """Kilobytes of scripts, before compression, that a page has fetched until a time of its own (milliseconds)."""
    asked = "(until) => performance.getEntriesByType('resource').filter((entry) => entry.startTime < until).map((entry) => entry.name)"
    names = page.evaluate(asked, until)
    return sum((ASSETS / re.sub(r".*/", "", name)).stat().st_size for name in names if name.endswith(".js")) / 1000


def page_weight_and_speed() -> Iterator[Figure]:
    """The library interactive, its scripts and the studio's, a demo opened, and a played frame of it."""
    with served() as server, browsing() as browser:
        ready: list[float] = []
        opened: list[tuple[float, float]] = []
        weights: dict[str, float] = {}
        for _ in range(turns(5)):
            page = browser.new_context(viewport={"width": 1280, "height": 800}).new_page()
            page.set_default_timeout(120_000)
            page.add_init_script(WELCOMED)
            page.add_init_script(READY)
            page.goto(server.url)
            page.get_by_role("heading", name=DEMO).wait_for()
            ready.append(page.evaluate("window.ready"))
            weights.setdefault("library", loaded(page, ready[-1]))
            # What the studio needs is fetched while one is still choosing.
            page.wait_for_timeout(1500)
            opened.append(tuple(page.evaluate(OPENED, DEMO)))
            weights.setdefault("studio", loaded(page))
            if len(opened) < turns(5):
                page.context.close()
        yield Figure("library interactive", median(ready), "ms", 500, reference=f"warm server, slowest {max(ready):.0f} ms", in_time=True)
        told = f"warm server, median of five; slowest {max(first for first, _live in opened):.0f} ms; 0.7.0 in turns on one machine: 1200 ms"
        yield Figure("opening a demo to its first picture", median(first for first, _live in opened), "ms", 300, reference=told, in_time=True)
        told = f"the same; the first after the server's start {opened[0][1]:.0f} ms"
        yield Figure("opening a demo to its live stage", median(live for _first, live in opened), "ms", None, reference=told)
        told = "until its effects are there; minified, before compression; menus come after"
        yield Figure("scripts of the library", weights["library"], "kB", 350, reference=told)
        yield Figure("scripts of the studio, the library's included", weights["studio"], "kB", 1300, reference="minified, before compression")
        yield Figure("scripting a played frame of the hail demo", played(page), "ms", None, reference="everything unfolded, one loop played before")
        page.context.close()


def played(page: Page) -> float:
    """Milliseconds of scripting for each frame that was played."""
    page.get_by_text("all frames computed").wait_for()
    page.keyboard.press("Space")
    page.wait_for_timeout(turns(7, 1) * 1000)
    session = page.context.new_cdp_session(page)
    session.send("Performance.enable")

    def scripting() -> float:
        metrics: list[dict[str, Any]] = session.send("Performance.getMetrics")["metrics"]
        return float(next(metric["value"] for metric in metrics if metric["name"] == "ScriptDuration"))

    page.evaluate(COUNTED)
    begun = scripting()
    page.wait_for_timeout(SECONDS * 1000)
    return (scripting() - begun) * 1000 / max(1, page.evaluate("window.played"))


TABLED = """async () => {
  const wait = (time) => new Promise((resolve) => setTimeout(resolve, time));
  const painted = () => new Promise((resolve) => requestAnimationFrame(() => setTimeout(resolve)));
  const first = () => document.querySelector("[data-row='0']")?.textContent ?? null;
  const took = [];
  let begun = performance.now();
  window.dispatchEvent(new KeyboardEvent("keydown", { key: "i" }));
  while (!first()) await wait(2);
  await painted();
  took.push(performance.now() - begun);
  for (let turn = 0; turn < 4; turn++) {
    await wait(400);
    const before = first();
    begun = performance.now();
    document.querySelector("[aria-label^='Sort by speed']").click();
    while (first() === before) await wait(2);
    await painted();
    took.push(performance.now() - begun);
  }
  return took;
}"""


def table_speed() -> Iterator[Figure]:
    """The table of 100 000 particles: opened, and sorted by another column."""
    crowd = document(rule({"kind": "gravity"}), count=size(100_000), speed={"kind": "spread", "value": 2.0, "spread": 1.0}, clock={"duration": 0.2})
    with served() as server, browsing() as browser:
        page = browser.new_context(viewport={"width": 1280, "height": 800}).new_page()
        page.set_default_timeout(120_000)
        page.add_init_script(WELCOMED)
        body = json.dumps({"document": crowd}).encode()
        request = urllib.request.Request(f"{server.url}/api/effects", body, {"Content-Type": "application/json"})
        made = json.load(urllib.request.urlopen(request))
        opened, turned = [], []
        for _turn in range(turns(3, 1)):
            page.goto(f"{server.url}/effects/{made['id']}")
            page.get_by_text("all frames computed").wait_for(timeout=90_000)
            page.wait_for_timeout(1500)
            took = page.evaluate(TABLED)
            opened.append(took[0])
            turned += took[1:]
        page.context.close()
    yield Figure("the table of 100,000 particles opened", median(opened), "ms", 500, reference=f"slowest {max(opened):.0f} ms", in_time=True)
    yield Figure("the same, sorted by another column", median(turned), "ms", 300, reference=f"slowest {max(turned):.0f} ms", in_time=True)


WRITTEN = """() => {
  const stage = document.querySelector("[data-testid=stage]");
  const before = stage.dataset.trial;
  window.arrived = new Promise((done) => {
    let start = 0;
    window.addEventListener("keydown", () => (start = performance.now()), { once: true, capture: true });
    const watch = new MutationObserver(() => {
      if (stage.dataset.trial !== before && stage.dataset.frame === "6") { watch.disconnect(); done(performance.now() - start); }
    });
    watch.observe(stage, { attributes: true });
  });
}"""


def formula_on_the_stage() -> Iterator[Figure]:
    """A digit typed into a formula about 10 000 particles: from the key to the stage with the new frame."""
    lines = {"kind": "formula", "text": "velocity.y += 0.11 * dt * sin(time + id)"}
    speed = {"kind": "spread", "value": 2.0, "spread": 1.0}
    raw = document(rule(lines, id="write", label="Write"), count=size(10_000), speed=speed, clock={"duration": 1.0})
    with served() as server, browsing() as browser:
        page = browser.new_context(viewport={"width": 1280, "height": 800}).new_page()
        page.set_default_timeout(120_000)
        page.add_init_script(WELCOMED)
        request = urllib.request.Request(f"{server.url}/api/effects", json.dumps({"document": raw}).encode(), {"Content-Type": "application/json"})
        page.goto(f"{server.url}/effects/{json.load(urllib.request.urlopen(request))['id']}")
        page.get_by_text("all frames computed").wait_for(timeout=90_000)
        page.get_by_test_id("frame").fill("6")
        page.get_by_test_id("frame").press("Enter")
        page.locator('[data-testid=stage][data-frame="6"]').wait_for()
        page.get_by_role("button", name=re.compile("^Lines: ")).click()
        editor = page.get_by_role("textbox", name="Lines", exact=True)
        editor.wait_for()
        editor.click()
        page.keyboard.press("Home")
        for _step in range(len("velocity.y += 0.1")):
            page.keyboard.press("ArrowRight")
        took = []
        for turn in range(turns(14, 3)):
            page.evaluate(WRITTEN)
            page.keyboard.type(str(turn % 9 + 1))
            took.append(page.evaluate("window.arrived"))
            page.wait_for_timeout(700)
            page.keyboard.press("Backspace")
            page.wait_for_timeout(700)
        page.context.close()
    told = f"no graphics card; slowest {max(took[2:]):.0f} ms"
    name = "a digit typed into a formula at 10,000 particles: the new frame on the stage"
    yield Figure(name, median(took[2:]), "ms", 250, reference=told, in_time=True)


BOXED = """async (begin) => {
  const wait = (time) => new Promise((resolve) => setTimeout(resolve, time));
  const painted = () => new Promise((resolve) => requestAnimationFrame(() => setTimeout(resolve)));
  const open = () => document.querySelector("[role=dialog]");
  const chips = [...document.querySelectorAll("[data-item] .chip[data-value]")];
  const took = [];
  for (let turn = 0; turn < 9; turn++) {
    await wait(500);
    const begun = performance.now();
    if (begin === "box") chips[turn % chips.length].click();
    else window.dispatchEvent(new KeyboardEvent("keydown", { key: "k", ctrlKey: true, bubbles: true }));
    while (!open()) await wait(1);
    await painted();
    took.push(performance.now() - begun);
    open().dispatchEvent(new KeyboardEvent("keydown", { key: "Escape", bubbles: true }));
    while (open()) await wait(1);
  }
  return took.slice(1);
}"""


def boxes_and_palette() -> Iterator[Figure]:
    """The hail demo at rest: from the click on a value to its box, from the key to the palette, painted."""
    with served() as server, browsing() as browser:
        page = browser.new_context(viewport={"width": 1280, "height": 800}).new_page()
        page.set_default_timeout(120_000)
        page.add_init_script(WELCOMED)
        page.goto(server.url)
        page.get_by_role("link", name=DEMO).first.click()
        page.get_by_text("all frames computed").wait_for(timeout=90_000)
        page.wait_for_timeout(1500)
        for what, begin in (("a value's box, from its click", "box"), ("the palette, from its key", "palette")):
            took = page.evaluate(BOXED, begin)
            yield Figure(what, median(took), "ms", 100, reference=f"painted, no graphics card; slowest {max(took):.0f} ms", in_time=True)
        page.context.close()


ALL = [page_weight_and_speed, boxes_and_palette, table_speed, formula_on_the_stage]
