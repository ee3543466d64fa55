"""Room: the stage gets what it was promised at every size, and nothing overlaps, is clipped or moves that should stay."""

from __future__ import annotations

import re
from typing import Any

from playwright.sync_api import Page

from tests.browser.cases import BrowserCase

SIZES = [(1024, 768), (1280, 800), (1920, 1080)]

OVERLAPS = """() => {
  // What floats over the stage, and what frames it.
  const seen = [...document.querySelectorAll('.stage-bar, [data-float], [aria-label="Clock"], [aria-label="Groups on the stage"]')]
    .filter((one) => one.checkVisibility())
    .map((one) => [one.getAttribute('aria-label') ?? one.textContent.slice(0, 30) ?? one.tagName, one.getBoundingClientRect(), one])
    .filter(([, box]) => box.width > 0 && box.height > 0);
  const found = [];
  seen.forEach(([a, one, node], index) => seen.slice(index + 1).forEach(([b, other, second]) => {
    if (node.contains(second) || second.contains(node)) return;
    const across = Math.min(one.right, other.right) - Math.max(one.left, other.left);
    const down = Math.min(one.bottom, other.bottom) - Math.max(one.top, other.top);
    if (across > 1 && down > 1) found.push(`${a} and ${b}`);
  }));
  return found;
}"""

CLIPPED = """() => [...document.querySelectorAll('body *')].flatMap((one) => {
  const own = [...one.childNodes].some((child) => child.nodeType === 3 && child.textContent.trim());
  if (!own || !one.checkVisibility({ opacityProperty: true, visibilityProperty: true })) return [];
  const style = getComputedStyle(one);
  const box = one.getBoundingClientRect();
  if (style.position === 'absolute' && style.width === '1px') return [];
  const small = parseFloat(style.fontSize) < 12 ? [`small: ${one.textContent.trim().slice(0, 40)}`] : [];
  // What ends in dots says that there is more; everything else has to be readable whole.
  const cut = style.textOverflow !== 'ellipsis' && style.overflowX !== 'visible' && style.display !== 'inline' && one.scrollWidth > one.clientWidth + 1;
  const out = box.width > 0 && (box.right > innerWidth + 1 || box.left < -1) && !one.closest('[data-testid=stage] .pin');
  return [...small, ...(cut ? [`cut: ${one.textContent.trim().slice(0, 40)}`] : []), ...(out ? [`outside: ${one.textContent.trim().slice(0, 40)}`] : [])];
})"""


class Room(BrowserCase):
    def whole(self, page: Page, where: str) -> None:
        page.wait_for_timeout(250)
        self.assertEqual(page.evaluate(OVERLAPS), [], where)
        self.assertEqual(page.evaluate(CLIPPED), [], where)

    def box(self, selector: str) -> dict[str, float]:
        box: Any = self.page.locator(selector).bounding_box()
        assert box
        return box

    def every_view(self, width: int, height: int) -> None:
        page = self.page
        page.set_viewport_size({"width": width, "height": height})
        page.goto(self.server.url)
        page.get_by_role("heading", name="Hail on the tin roof").wait_for()
        self.whole(page, f"library at {width}")
        page.get_by_role("button", name="New effect", exact=True).click()
        page.get_by_role("button", name=re.compile("^Fountain")).wait_for()
        self.whole(page, f"starting points at {width}")
        page.keyboard.press("Escape")
        self.open_named("Sleet under the lamp")
        self.seek(60)
        self.whole(page, f"studio at {width}")
        if width < 1180:
            page.keyboard.press("j")
            page.get_by_role("main", name="Score").wait_for()
            self.whole(page, f"the score as a drawer at {width}")
        item = page.locator('[data-item^="fields/"]').first
        item.click(position={"x": 40, "y": 10})
        if width < 1180:
            page.keyboard.press("j")
        page.get_by_role("group", name=re.compile("^Picture of")).wait_for()
        self.whole(page, f"a field at {width}")
        page.keyboard.press("Escape")
        for part in ("Probe", "Charts", "Advisories", "Guide"):
            self.lens(part)
            self.whole(page, f"{part} at {width}")
        self.lens("Charts")
        for chart in ("Values", "Between", "Time"):
            page.get_by_test_id("lens").get_by_role("button", name=chart, exact=True).click()
            page.wait_for_timeout(600)
            self.whole(page, f"charts of {chart} at {width}")
        page.keyboard.press("l")
        page.keyboard.press("k")
        page.get_by_role("region", name="Dials").wait_for()
        self.whole(page, f"dials at {width}")
        page.keyboard.press("k")
        page.keyboard.press("p")
        page.get_by_test_id("picture").wait_for()
        self.whole(page, f"picture at {width}")
        page.keyboard.press("p")
        for key, title in (("Control+k", "Do something"), ("?", "Keyboard")):
            page.keyboard.press(key)
            page.get_by_role("heading", name=title).wait_for()
            self.whole(page, f"{title} at {width}")
            page.keyboard.press("Escape")
        page.keyboard.press("f")
        page.get_by_role("button", name="everything again").wait_for()
        self.whole(page, f"the stage alone at {width}")
        page.keyboard.press("f")

    def test_a_picture_keeps_left_of_the_lens_and_is_whole_without(self) -> None:
        page = self.open_demo()
        self.lens("Charts")
        page.keyboard.press("p")
        page.get_by_test_id("picture").wait_for()
        stage, lens, picture = (self.box(f"[data-testid={part}]") for part in ("stage", "lens", "picture"))
        self.assertAlmostEqual(picture["x"] + picture["width"], lens["x"], delta=1)
        self.assertAlmostEqual(stage["x"] + stage["width"], lens["x"] + lens["width"], delta=1)
        # With the stage alone, the lens is open and not there.
        page.keyboard.press("f")
        page.get_by_role("button", name="everything again").wait_for()
        self.assertEqual(self.box("[data-testid=picture]"), self.box("[data-testid=stage]"))

    def test_the_stage_has_its_room_and_nothing_moves(self) -> None:
        page = self.open_demo()
        stage = self.box("[data-testid=stage]")
        self.assertGreaterEqual(stage["width"], 0.6 * 1280)
        self.assertGreaterEqual(stage["height"], 0.65 * 800)
        self.assertGreaterEqual(self.box("[data-testid=strip]")["width"], 600)
        self.assertEqual(self.box("[data-testid=strip]")["width"], stage["width"])
        score = page.get_by_test_id("score-list")
        height = score.evaluate("(node) => [node.scrollHeight, node.clientHeight]")
        self.assertLessEqual(height[0], 2 * height[1], "the whole of the hail demo in two screens")
        places = "() => [...document.querySelectorAll('.stage-bar, [data-item], [data-testid=stage], [data-testid=strip]')].filter((one) => !one.matches('[aria-label=Lens]')).map((one) => JSON.stringify(one.getBoundingClientRect())).join()"
        before = page.evaluate(places)
        page.keyboard.press("g")
        page.get_by_label("Search the guide").wait_for()
        self.assertEqual(page.evaluate(places), before, "opening the lens moves nothing")
        page.keyboard.press("l")
        self.assertEqual(page.evaluate(places), before)
        # Nothing re-wraps under the pointer either.
        for card in page.locator("[data-item]").all()[:12]:
            card.hover()
        page.mouse.move(900, 20)
        self.assertEqual(page.evaluate(places), before, "hovering moves nothing")

    def test_panels_keep_their_sizes(self) -> None:
        page = self.open_demo()
        page.get_by_role("separator", name="Width of the score").focus()
        for _ in range(4):
            page.keyboard.press("ArrowLeft")
        narrow = self.box("main[aria-label=Score]")["width"]
        self.assertEqual(narrow, 440 - 64)
        page.get_by_role("button", name=re.compile("^Looks"), expanded=True).click()
        page.reload()
        self.wait_computed()
        self.assertEqual(self.box("main[aria-label=Score]")["width"], narrow)
        page.get_by_role("button", name=re.compile("^Looks"), expanded=False).wait_for()

    def test_finding_in_the_score_and_its_map(self) -> None:
        page = self.open_demo()
        page.evaluate("document.activeElement.blur()")
        page.keyboard.press("/")
        page.keyboard.type("gutter")
        page.get_by_text("2 found").wait_for()
        self.assertFalse(self.rule("Gusts").is_visible())
        page.keyboard.press("Enter")
        page.keyboard.press("Escape")
        self.assertTrue(self.rule("Gusts").is_visible())
        page.get_by_role("button", name="Go to Shatter").click()
        self.until(
            lambda: self.rule("Shatter").get_by_role("button", name="+ action").is_visible(), "turned to it"
        )

    def test_playing_renders_no_chip_and_no_card(self) -> None:
        """Everything unfolded and a rule chosen: frames pass by, and only what shows the frame changes."""
        page = self.open_demo()
        self.rule("Settle").click(position={"x": 40, "y": 8})
        page.wait_for_timeout(1500)
        page.evaluate("window.renderings = {}")
        first = page.get_by_test_id("frame").input_value()
        page.keyboard.press("Space")
        self.until(lambda: int(page.get_by_test_id("frame").input_value()) > int(first) + 20, "it plays")
        during = page.evaluate("({ ...window.renderings })")
        page.keyboard.press("Space")
        self.assertEqual(during, {}, "what rendered while it played")
        # The tally does count: an edit renders the card that it is about, and no other.
        page.evaluate("window.renderings = {}")
        gusts = self.rule("Gusts")
        gusts.get_by_role("button", name=re.compile("^Strength")).click()
        page.get_by_role("textbox", name="Value").fill("4")
        page.keyboard.press("Enter")
        self.saved()
        self.until(lambda: page.evaluate("window.renderings.card ?? 0") > 0, "a card renders")
        self.assertLess(page.evaluate("window.renderings.card"), page.locator("[data-item]").count())


def _at(width: int, height: int) -> Any:
    def test(self: Room) -> None:
        self.every_view(width, height)

    test.__doc__ = f"Every view in a window of {width} × {height}."
    return test


for _width, _height in SIZES:
    setattr(Room, f"test_every_view_{_width}_wide", _at(_width, _height))
