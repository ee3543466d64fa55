"""Retakes docs/screenshots from the demo data, at 1280 × 800, in headless Chromium."""

from __future__ import annotations

import re
import sys
from base64 import b64decode
from contextlib import suppress
from pathlib import Path

from playwright.sync_api import Browser, Page, TimeoutError, sync_playwright

ROOT = Path(__file__).resolve().parents[1]
sys.path.insert(0, str(ROOT))

from tests.browser.serving import CHROMIUM, FLAGS, WELCOMED, Server  # noqa: E402

from hailridge import demo  # noqa: E402
from hailridge.formats.posters import poster_of  # noqa: E402
from hailridge.model.validation import read_effect  # noqa: E402

TARGET = ROOT / "docs" / "screenshots"


# Demo, frame, and the name of its picture, if it has one of its own.
PIECES = [
    ("Signal flare", 84, "handles"),
    ("Signal flare", 66, "keyframes"),
    ("Chaff in the wind gate", 84, "chaff"),
    ("Sleet under the lamp", 70, "field"),
    ("Shutters in the gust", 62, "flow"),
    ("Lantern mobile", 110, "formula"),
    ("Frost over a pane", 110, "compare"),
    ("Signal flare", 92, "picture"),
    ("Rime in the gaps", 60, "rime"),
    ("Moths at the lamp", 120, "flock"),
]
SELECT = {"rime": "In the gaps", "flock": "Fly", "handles": "Flight", "keyframes": "Flare", "field": "Warmth", "chaff": "Come to rest"}
"""What is chosen in the score of a piece."""


def draw_posters() -> None:
    """The pictures of the demos that ship, as the library draws them itself after a run."""
    for name in demo.names():
        picture = poster_of(read_effect(demo.document(name)), demo.assets())
        (demo.FOLDER / "posters" / f"{name}.png").write_bytes(picture)
    for name in demo.STARTERS:
        picture = poster_of(read_effect(demo.starter(name)), demo.assets())
        (demo.FOLDER / "starters" / f"{name}.png").write_bytes(picture)


def draw_openings(browser: Browser, url: str) -> None:
    """What the stages of the demos show first, as they show it."""
    for name in demo.names():
        page = browser.new_page(viewport={"width": 1440, "height": 900})
        page.add_init_script(WELCOMED)
        page.goto(url)
        page.get_by_role("heading", name=demo.document(name)["name"], exact=True).click()
        page.locator('[data-testid=stage][data-frame="0"]').wait_for()
        page.get_by_text("all frames computed").wait_for()
        page.wait_for_timeout(1500)
        drawn = page.evaluate("document.querySelector('[data-testid=stage] canvas').toDataURL('image/webp', 0.85)")
        (demo.FOLDER / "openings").mkdir(exist_ok=True)
        (demo.FOLDER / "openings" / f"{name}.webp").write_bytes(b64decode(drawn.partition(",")[2]))
        page.close()


def shoot(page: Page, name: str) -> None:
    page.mouse.move(640, 20)
    page.wait_for_timeout(700)
    page.screenshot(path=TARGET / f"{name}.png")
    print(name)


def seek(page: Page, frame: int) -> None:
    there = page.locator(f'[data-testid=stage][data-frame="{frame}"]')
    for _attempt in range(6):
        # A new effect plays by itself: a panel that opens meanwhile may take the focus back, and then it is typed again.
        page.get_by_test_id("frame").fill(str(frame))
        page.get_by_test_id("frame").press("Enter")
        with suppress(TimeoutError):
            there.wait_for(timeout=6000)
            break
    there.wait_for()
    page.evaluate("document.activeElement.blur()")


def take(page: Page, url: str) -> None:
    page.goto(url)
    page.get_by_role("heading", name="Hail on the tin roof").click()
    page.get_by_text("all frames computed").wait_for()
    seek(page, 66)
    shoot(page, "studio")
    page.get_by_role("listitem", name="Shatter").get_by_role("button", name=re.compile("^Threshold")).click()
    page.get_by_role("slider", name=re.compile("distribution")).wait_for()
    shoot(page, "threshold")
    page.keyboard.press("Escape")
    page.get_by_role("listitem", name="Stones melt").locator("[data-count]").click()
    shoot(page, "ringed")
    page.get_by_role("button", name="unpin").click()
    stage = page.get_by_test_id("stage").bounding_box()
    assert stage
    for x in range(30, 80, 4):
        page.mouse.click(stage["x"] + stage["width"] * x / 100, stage["y"] + stage["height"] * 0.62)
        page.wait_for_timeout(250)
        if page.get_by_role("button", name="Let go", exact=True).count():
            break
    shoot(page, "probe")
    page.get_by_role("button", name="Light", exact=True).click()
    shoot(page, "light")
    page.get_by_role("button", name="Dark", exact=True).click()
    page.keyboard.press("c")
    lens = page.get_by_test_id("lens")
    lens.get_by_role("button", name="Values", exact=True).click()
    lens.get_by_role("button", name="+ chart").click()
    page.locator("[role=menuitem]").filter(has_text=re.compile("^One against another")).click()
    lens.locator("[data-chart=against] circle").first.wait_for()
    shoot(page, "charts")
    page.keyboard.press("c")
    page.get_by_role("link", name="Back to the library").click()
    page.get_by_role("button", name="New effect", exact=True).click()
    page.get_by_role("button", name=re.compile("^Fountain")).wait_for()
    shoot(page, "starters")
    page.get_by_role("button", name=re.compile("^Fountain")).click()
    page.get_by_text("all frames computed").wait_for()
    seek(page, 50)
    page.keyboard.press("r")
    page.get_by_role("button", name="+ action").click()
    page.get_by_placeholder("Search").fill("slow")
    shoot(page, "picker")
    page.keyboard.press("Escape")
    page.wait_for_timeout(500)
    page.get_by_role("link", name="Back to the library").click()
    for name, frame, shot in PIECES:
        page.get_by_role("heading", name=name, exact=True).click()
        page.get_by_text("all frames computed").wait_for()
        seek(page, frame)
        if shot in SELECT:
            page.get_by_role("listitem", name=SELECT[shot], exact=True).click(position={"x": 50, "y": 10})
        if shot == "keyframes":
            page.get_by_role("button", name="Flare · travel").click()
        if shot == "flow":
            page.keyboard.press("c")
            page.get_by_role("img", name=re.compile("^Flow between groups")).wait_for()
        if shot in ("field", "chaff"):
            # Pictures of fields and curves of branches come a moment later.
            page.wait_for_timeout(2500)
        if shot == "compare":
            page.get_by_role("button", name="More for Damp").click(force=True)
            page.get_by_role("menuitem", name="Compare with another value").click()
            page.locator('[data-testid=stage-beside][data-frame="110"]').wait_for()
            page.wait_for_timeout(4000)
        if shot == "formula":
            page.keyboard.press("i")
            page.locator("[data-row='0']").wait_for()
            page.get_by_role("button", name=re.compile("^Lines: ")).first.click()
            page.locator(".cm-given").first.wait_for()
        if shot == "picture":
            page.keyboard.press("p")
            page.locator('[data-testid=picture][data-sampled="16"]').wait_for()
        if shot:
            shoot(page, shot)
        page.keyboard.press("Escape")
        page.wait_for_timeout(1200)
        page.get_by_role("link", name="Back to the library").click()
    page.get_by_role("heading", name="Beacon flash").wait_for()
    page.wait_for_timeout(1500)
    shoot(page, "library")


def main() -> int:
    TARGET.mkdir(exist_ok=True)
    if "--posters" in sys.argv[1:]:
        draw_posters()
    with Server() as server, sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
        if "--posters" in sys.argv[1:]:
            draw_openings(browser, server.url)
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.add_init_script(WELCOMED)
        take(page, server.url)
        browser.close()
    return 0


if __name__ == "__main__":
    sys.exit(main())
