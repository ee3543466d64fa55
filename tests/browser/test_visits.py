"""The first visit, the keyboard alone, starting points, and the tools of the stage."""

from __future__ import annotations

import re

from playwright.sync_api import Route

from tests.browser.cases import BrowserCase

PIXELS = """(selector) => {
  const picture = document.querySelector(selector);
  const [width, height] = [picture.naturalWidth ?? picture.width, picture.naturalHeight ?? picture.height];
  const copy = new OffscreenCanvas(width, height).getContext("2d");
  copy.drawImage(picture, 0, 0);
  window.pictures = [...(window.pictures ?? []), copy.getImageData(0, 0, width, height).data];
  const [first, second] = window.pictures;
  return second ? first.reduce((sum, value, at) => sum + Math.abs(value - second[at]), 0) / first.length : null;
}"""
"""Takes a picture down; of the second one it tells how much a byte of it differs from the first on average."""


class Visits(BrowserCase):
    def test_three_hints_and_never_again(self) -> None:
        page = self.page
        page.goto(self.server.url)
        page.evaluate("localStorage.clear()")
        page.reload()
        # The page of this test puts its own mark into the storage before anything runs: here it is taken out again.
        page.add_init_script("if (!sessionStorage.seen) { localStorage.clear(); sessionStorage.seen = 1 }")
        page.evaluate("sessionStorage.clear()")
        page.goto(self.server.url)
        page.get_by_role("heading", name="Hail on the tin roof").click()
        hints = page.get_by_role("note", name="First steps")
        hints.get_by_role("heading", name="Every underlined value").wait_for()
        hints.get_by_role("button", name="Next").click()
        hints.get_by_role("heading", name="Numbers show whom").wait_for()
        hints.get_by_role("button", name="Next").click()
        hints.get_by_role("heading", name="Ask why").wait_for()
        self.assertEqual(self.violations(page), [])
        hints.get_by_role("button", name="Begin").click()
        self.until(lambda: hints.count() == 0, "gone")
        page.reload()
        self.wait_computed()
        page.wait_for_timeout(1000)
        self.assertEqual(hints.count(), 0)

    def test_a_stage_opens_with_a_picture(self) -> None:
        """Shown before a frame is there, what the stage then draws, and gone by then; on coming back it is what was left."""
        page = self.page
        page.set_viewport_size({"width": 1440, "height": 900})
        held: list[Route] = []
        page.goto(self.server.url)
        page.route("**/frames/0*", lambda route: held.append(route))
        page.get_by_role("heading", name="Shutters in the gust").click()
        opening = page.locator("img[data-opening]")
        self.until(lambda: opening.evaluate("image => image.complete && image.naturalWidth > 0"), "shown")
        self.until(lambda: held, "the frame is asked for")
        page.evaluate(PIXELS, "img[data-opening]")
        self.assertEqual(page.get_by_test_id("stage").get_attribute("data-frame") or "", "")
        for route in held:
            route.continue_()
        page.unroute("**/frames/0*")
        self.until(lambda: opening.count() == 0, "gone")
        differing = page.evaluate(PIXELS, "[data-testid=stage] canvas")
        self.assertLess(differing, 2, "run: docs/take_screenshots.py --posters")
        self.wait_computed()
        self.seek(60)
        page.get_by_role("link", name="Back to the library").click()
        page.wait_for_timeout(2000)
        held.clear()
        page.route("**/frames/60*", lambda route: held.append(route))
        page.get_by_role("heading", name="Shutters in the gust").click()
        self.until(
            lambda: opening.evaluate("image => image.complete && image.naturalWidth > 0"), "shown again"
        )
        self.assertTrue((opening.get_attribute("src") or "").startswith("blob:"))
        self.until(lambda: held, "the frame is asked for again")
        for route in held:
            route.continue_()
        self.until(lambda: opening.count() == 0, "gone again")
        page.unroute("**/frames/60*")

    def test_the_keyboard_alone_from_the_library_to_a_tuned_rule(self) -> None:
        """No mouse: find the demo, open it, find a rule, tune its threshold, walk on to the next value, undo."""
        page = self.page
        page.goto(self.server.url)
        page.get_by_role("heading", name="Hail on the tin roof").wait_for()
        page.keyboard.press("/")
        page.keyboard.type("tin roof")
        for _ in range(12):
            page.keyboard.press("Tab")
            if page.evaluate(
                "document.activeElement.tagName === 'A' && document.activeElement.href.includes('/effects/')"
            ):
                break
        page.keyboard.press("Enter")
        self.wait_computed()
        page.keyboard.press("End")
        page.keyboard.press("/")
        page.keyboard.type("settle")
        page.keyboard.press("Enter")
        self.until(
            lambda: (
                page.evaluate("document.activeElement.closest('[data-item]')?.getAttribute('aria-label')")
                == "Settle"
            ),
            "the first value of what was found has the focus",
        )
        threshold = self.rule("Settle").get_by_role("button", name=re.compile("^Threshold"))
        page.keyboard.press("Tab")
        for _ in range(80):
            if threshold.evaluate("(chip) => chip === document.activeElement"):
                break
            page.keyboard.press("Tab")
        page.keyboard.press("Enter")
        page.get_by_role("slider", name=re.compile("Threshold on the distribution")).wait_for()
        # The value has the focus, ready to be typed over; Tab keeps it and goes on to the next chip.
        page.keyboard.type("0.5")
        page.keyboard.press("Tab")
        self.until(lambda: "0.5" in (threshold.text_content() or ""), "the threshold is tuned")
        self.until(
            lambda: page.get_by_role("slider", name=re.compile("Threshold on")).count() == 0, "walked on"
        )
        page.keyboard.press("Control+z")
        self.until(lambda: "0.35" in (threshold.text_content() or ""), "as it was")

    def test_every_starting_point_opens_and_runs(self) -> None:
        page = self.page
        for title, least in (
            ("From a surface", 100),
            ("One particle", 1),
            ("Filling a shape", 500),
            ("Falling on a shape", 100),
        ):
            page.goto(self.server.url)
            self.new_effect(starter=title)
            self.wait_computed()
            self.seek(60)
            self.until(
                lambda least=least: (
                    int(page.get_by_test_id("stage").get_attribute("data-count") or 0) >= least
                ),
                title,
            )
            self.lens("Advisories")
            page.get_by_text("Nothing to remark").wait_for()
        page.goto(self.server.url)
        self.new_effect(starter="Empty")
        page.get_by_text("No source yet").wait_for()

    def test_keys_are_changed_and_switched_off(self) -> None:
        page = self.open_demo()
        page.evaluate("document.activeElement.blur()")
        page.keyboard.press("?")
        page.get_by_role("button", name=re.compile("^Key for Colour everybody by group")).click()
        page.keyboard.press("y")
        page.get_by_role("button", name="Key for Colour everybody by group: Y").wait_for()
        self.assertEqual(self.violations(page), [])
        page.keyboard.press("Escape")
        by_group = page.get_by_role("button", name="by group")
        page.keyboard.press("b")
        self.assertEqual(by_group.get_attribute("aria-pressed"), "false")
        page.keyboard.press("y")
        self.until(lambda: by_group.get_attribute("aria-pressed") == "true", "the new key works")
        page.keyboard.press("?")
        page.get_by_role("checkbox", name=re.compile("Single letters")).uncheck()
        page.keyboard.press("Escape")
        page.keyboard.press("y")
        self.assertEqual(by_group.get_attribute("aria-pressed"), "true", "single keys are off")
        page.keyboard.press("Space")
        page.get_by_role("button", name="Pause", exact=True).wait_for()


class Stage(BrowserCase):
    def test_measuring_choosing_many_and_remembered_views(self) -> None:
        page = self.open_demo()
        self.seek(60)
        box = page.get_by_test_id("stage").bounding_box()
        assert box
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        page.keyboard.press("w")
        page.get_by_text("Click the first of two points").wait_for()
        page.mouse.click(x - 60, y + 60)
        page.get_by_text("Click the second point").wait_for()
        page.mouse.click(x + 120, y + 80)
        self.until(lambda: " m" in (page.get_by_test_id("measured").text_content() or ""), "a distance")
        page.keyboard.press("Escape")
        self.until(lambda: page.get_by_test_id("measured").count() == 0, "put away")
        page.keyboard.press("q")
        page.mouse.move(x - 150, y - 150)
        page.mouse.down()
        page.mouse.move(x + 150, y + 100, steps=4)
        page.mouse.up()
        chosen = page.get_by_test_id("chosen")
        chosen.wait_for()
        self.assertGreater(int(re.sub(r"\D", "", chosen.text_content() or "0")), 50)
        page.keyboard.press("Escape")
        page.get_by_role("button", name="Remembered views").click()
        page.get_by_role("menuitem", name="Remember this point of view").click()
        page.keyboard.press("3")
        page.reload()
        self.wait_computed()
        page.get_by_role("button", name="Remembered views").click()
        page.get_by_role("menuitem", name="View 1", exact=True).click()

    def test_as_it_was_before_the_last_edit_while_a_key_is_held(self) -> None:
        page = self.open_demo()
        self.seek(60)
        stage = page.get_by_test_id("stage")
        before = stage.get_attribute("data-count")
        self.rule("Shatter").hover()
        self.rule("Shatter").get_by_role("button", name="Switch it off").click()
        self.wait_computed()
        self.until(lambda: stage.get_attribute("data-count") != before, "no shards")
        after = stage.get_attribute("data-count")
        page.evaluate("document.activeElement.blur()")
        page.keyboard.down("v")
        page.get_by_text("as it was before the last edit").wait_for()
        self.until(lambda: stage.get_attribute("data-count") == before, "as it was")
        page.keyboard.up("v")
        self.until(lambda: stage.get_attribute("data-count") == after, "as it is")
