"""The story of a first session, driven in headless Chromium against the real server."""

from __future__ import annotations

import re
import tempfile
import unittest
from pathlib import Path

from tests.browser.cases import BrowserCase


class Story(BrowserCase):
    def test_tune_undo_add_reorder_scrub_and_come_back(self) -> None:
        page = self.open_demo()
        self.seek(60)
        self.until(lambda: self.population("Shards") > 1000, "shards at frame 60")
        before = self.population("Shards")
        all_before = int(page.get_by_test_id("stage").get_attribute("data-count") or 0)

        # Drag the shatter threshold on its distribution: fewer shards, on the strip and on the stage.
        self.rule("Shatter").get_by_role("button", name=re.compile("^Threshold")).click()
        line = self.drag_threshold(0.6, 0.8)
        page.keyboard.press("Escape")
        line.wait_for(state="detached")
        self.saved()
        self.until(lambda: 0 <= self.population("Shards") < before * 0.6, "fewer shards")
        self.wait_computed()
        on_stage = int(page.get_by_test_id("stage").get_attribute("data-count") or 0)
        self.assertLess(on_stage, all_before)

        # Undo: everything as before, at once.
        page.keyboard.press("Control+z")
        self.until(
            lambda: self.population("Shards") == before,
            f"the {before} shards are back, not {self.population('Shards')}",
        )
        self.assertIn("9.2", self.rule("Shatter").inner_text())

        # A rule of one's own: shards older than 1 s approach radius 0 over 0.5 s.
        page.keyboard.press("r")
        mine = self.rule("New rule")
        mine.get_by_role("button", name="Everyone").click()
        page.get_by_role("checkbox", name="Shards").check()
        page.keyboard.press("Escape")
        mine.get_by_role("button", name="always").click()
        page.get_by_role("option", name="compare a quantity").click()
        mine.get_by_role("button", name="+ action").click()
        page.get_by_placeholder("Search").fill("approach")
        page.get_by_role("option", name="approach a value").click()
        # It begins at twice what they have; here they are to melt. Its first value is open.
        page.locator("input:focus").wait_for()
        page.keyboard.type("0")
        page.keyboard.press("Enter")
        page.get_by_role("dialog").wait_for(state="detached")
        said = re.compile(r"Shards · at each step when age passes 1 s .*approach radius 0 m over 0\.5 s")
        self.until(lambda: said.search(" ".join(mine.inner_text().split())), "the rule reads as a sentence")
        self.saved()
        self.wait_computed()
        self.seek(96)
        self.until(lambda: self.held("New rule") > 500, "the rule holds for many")
        self.until(lambda: self.population("Shards") < 7000, "shards melt away")

        # Reorder by keyboard: the new rule up by one place.
        names = "[data-item^='rules/']"
        order = [item.get_attribute("aria-label") for item in page.locator(names).all()]
        self.moved_by_key("New rule", "ArrowUp")
        self.until(
            lambda: [item.get_attribute("aria-label") for item in page.locator(names).all()] != order,
            "another order",
        )
        self.saved()
        self.wait_computed()

        # Scrub backwards on the strip.
        strip = page.get_by_test_id("strip").bounding_box()
        assert strip
        page.mouse.click(strip["x"] + strip["width"] * 0.25, strip["y"] + 30)
        page.locator('[data-testid=stage][data-frame="30"]').wait_for()

        # Close the tab, come back: everything is there.
        after = [item.get_attribute("aria-label") for item in page.locator(names).all()]
        address = page.url
        page.context.close()
        self.page = page = self.new_page()
        page.goto(address)
        self.wait_computed()
        self.assertEqual([item.get_attribute("aria-label") for item in page.locator(names).all()], after)

    def test_probe_highlight_and_guide(self) -> None:
        page = self.open_demo()
        self.seek(72)
        count = self.rule("Settle").locator("[data-count]")
        count.click()
        page.get_by_text(re.compile("Ringed: those that 'Settle' holds for")).wait_for()
        page.keyboard.press("Escape")
        # Somewhere over the roof there is a particle to pick.
        stage = page.get_by_test_id("stage").bounding_box()
        assert stage
        for x in range(20, 80, 6):
            page.mouse.click(stage["x"] + stage["width"] * x / 100, stage["y"] + stage["height"] * 0.62)
            page.wait_for_timeout(150)
            if page.get_by_role("button", name="Let go", exact=True).count():
                break
        probe = page.get_by_test_id("probe")
        probe.get_by_text(re.compile("born (from Squall|of particle)")).wait_for()
        probe.get_by_text(re.compile("holds ✓")).first.wait_for()
        self.lens("Guide")
        page.get_by_label("Search the guide").fill("drag")
        page.get_by_role("heading", name="Drag", exact=True).wait_for()

    def test_a_new_effect_is_running(self) -> None:
        page = self.page
        page.goto(self.server.url)
        self.new_effect(page)
        # By itself, from its first frame on.
        self.until(lambda: int(page.get_by_test_id("stage").get_attribute("data-frame") or 0) > 5, "it plays")
        page.keyboard.press("Space")
        self.assertGreater(int(page.get_by_test_id("stage").get_attribute("data-count") or 0), 10)
        # Typed behind its key at once, no letter is a key of the page.
        page.keyboard.press("Control+k")
        page.keyboard.type("shape: box")
        self.assertEqual(page.get_by_placeholder("What would you like to do?").input_value(), "shape: box")
        page.get_by_role("option", name="Add a shape: box").click()
        self.page.get_by_role("listitem", name="Box", exact=True).wait_for()
        page.keyboard.press("?")
        page.get_by_role("heading", name="Keyboard").wait_for()

    def test_values_are_typed_reset_and_refused_in_words(self) -> None:
        page = self.page
        page.goto(self.server.url)
        self.new_effect(page)
        self.wait_computed()
        life = page.get_by_role("listitem", name="Spring").get_by_role("button", name=re.compile("^Lifetime"))
        life.click()
        field = page.get_by_role("textbox", name="Value")
        field.fill("36f")
        field.press("Enter")
        self.until(lambda: "1.5 ± 0.8 s" in life.inner_text(), "36 frames are 1.5 s")
        # Kept and closed.
        field.wait_for(state="detached")
        life.click()
        page.get_by_text("36 frames at 24 a second").wait_for()
        field.fill("soon")
        field.press("Enter")
        page.get_by_text("“soon” is no number").wait_for()
        # A spread that would make lifetimes negative is refused, told, and nothing is lost.
        spread = page.get_by_role("textbox", name="Spread")
        spread.fill("3")
        spread.press("Enter")
        page.get_by_text(re.compile("cannot be above 1")).first.wait_for()
        page.get_by_role("button", name="Back to the default").click()
        self.until(lambda: "4 s" in life.inner_text(), "the default is back")
        page.keyboard.press("Escape")
        self.saved()
        self.wait_computed()

    def test_import_a_mesh_and_bounce_off_it(self) -> None:
        page = self.page
        page.goto(self.server.url)
        self.new_effect(page)
        self.wait_computed()
        before = page.get_by_test_id("stage").get_attribute("data-count")
        with tempfile.TemporaryDirectory() as folder:
            damaged, slab = Path(folder) / "damaged.obj", Path(folder) / "slab.obj"
            damaged.write_text("v 0 0 0\nv 1 0 0\nf 1 2 3\n")
            page.get_by_label("Mesh file").set_input_files(damaged)
            page.get_by_role("alert").get_by_text("damaged.obj").wait_for()
            page.get_by_role("button", name="dismiss").click()
            slab.write_text("v -2 1.2 -2\nv -2 1.2 2\nv 2 1.2 2\nv 2 1.2 -2\nf 1 2 3\nf 1 3 4\n")
            page.get_by_label("Mesh file").set_input_files(slab)
            page.get_by_role("listitem", name="Slab").wait_for()
        self.assertIn("slab.obj", page.get_by_role("listitem", name="Slab").inner_text())
        # Make it solid: an action of its own in the rule that makes the floor solid.
        page.get_by_role("listitem", name="Solid floor").hover()
        page.get_by_role("listitem", name="Solid floor").get_by_text("Solid floor", exact=True).click()
        page.get_by_role("listitem", name="Solid floor").get_by_role("button", name="+ action").click()
        page.get_by_placeholder("Search").fill("bounce")
        page.get_by_role("option", name="bounce off a shape").click()
        # The newest shape is meant at once.
        page.get_by_role("listitem", name="Solid floor").get_by_role(
            "button", name="Slab", exact=True
        ).wait_for()
        self.saved()
        self.wait_computed()
        self.seek(60)
        # A lid at 1.2 m keeps down what flew higher.
        self.page.get_by_role("listitem", name="Spring").wait_for()
        self.assertIsNotNone(before)
        # In use now: deleting the shape says by whom.
        page.get_by_role("listitem", name="Slab").hover()
        page.get_by_role("button", name="More for Slab").click()
        page.get_by_role("menuitem", name="Delete").click()
        page.get_by_role("heading", name="'Slab' is in use").wait_for()
        page.get_by_role("dialog").get_by_text("Solid floor").wait_for()
        page.get_by_role("button", name="Keep it").click()

    def test_versions_are_named_and_taken_back(self) -> None:
        page = self.page
        page.goto(self.server.url)
        self.new_effect(page)
        self.wait_computed()
        page.get_by_label("Name of the effect").fill("Changed")
        page.get_by_label("Name of the effect").press("Enter")
        self.saved()
        page.get_by_role("button", name="Versions").click()
        page.get_by_label("Name of version 1").fill("as it began")
        page.get_by_label("Name of version 1").press("Tab")
        page.get_by_role("button", name="Take back").click()
        self.until(
            lambda: page.get_by_label("Name of the effect").input_value() == "New effect", "the first version"
        )
        page.keyboard.press("Control+z")
        self.until(lambda: page.get_by_label("Name of the effect").input_value() == "Changed", "undone")

    def test_endless_growth_is_told_before_and_after(self) -> None:
        page = self.page
        page.goto(self.server.url)
        self.new_effect(page)
        self.wait_computed()
        # Fewer are there sooner.
        clock = page.locator("[data-item=clock]")
        clock.hover()
        clock.get_by_role("button", name="All values of Clock").click()
        page.get_by_role("button", name=re.compile("^Particle budget")).click()
        page.get_by_role("textbox", name="Particle budget").fill("20000")
        page.keyboard.press("Enter")
        page.keyboard.press("Escape")
        page.keyboard.press("Escape")
        page.keyboard.press("r")
        mine = self.rule("New rule")
        self.settled()
        mine.get_by_role("button", name="+ action").click()
        page.get_by_placeholder("Search").fill("birth")
        page.get_by_role("option", name="give birth").click()
        # It begins as a stream; at each step it explodes.
        mine.get_by_role("button", name="a second", exact=True).click()
        page.get_by_role("menuitem", name="each time").click()
        self.lens("Advisories")
        page.get_by_test_id("lens").get_by_text(re.compile("multiplies without end")).wait_for()
        # At the rule's or source's own place, and among what the run told.
        page.get_by_text(re.compile("particle budget of 20,000 was reached at frame")).first.wait_for()
        page.keyboard.press("Control+z")
        page.keyboard.press("Control+z")
        page.get_by_text(re.compile("does nothing yet")).wait_for()
        page.keyboard.press("Control+z")
        page.get_by_text("Nothing to remark").wait_for()

    def test_advisories_offer_a_fix(self) -> None:
        page = self.page
        page.goto(self.server.url)
        self.new_effect(page)
        self.wait_computed()
        page.get_by_role("button", name="Add group").click()
        self.lens("Advisories")
        page.get_by_text("The group 'Group' is used nowhere.").wait_for()
        page.get_by_role("button", name="Remove it").click()
        page.get_by_text("Nothing to remark").wait_for()
        self.assertEqual(page.get_by_role("listitem", name="Group", exact=True).count(), 0)

    def test_switching_off_solo_and_duplicating(self) -> None:
        page = self.open_demo()
        self.seek(60)

        def choose(entry: str) -> None:
            self.rule("Gusts").hover()
            page.get_by_role("button", name="More for Gusts", exact=True).click()
            page.get_by_role("menuitem", name=entry).click()

        gusts = self.rule("Gusts")
        gusts.hover()
        gusts.get_by_role("button", name="Run this rule alone").click()
        self.until(lambda: self.population("Shards") == 0, "no shards without their rule")
        page.get_by_role("status").get_by_text("Gusts").wait_for()
        page.get_by_role("button", name="run all", exact=True).click()
        self.until(lambda: self.population("Shards") > 1000, "shards again")
        # Looking at one alone is no change of the document.
        self.assertTrue(page.get_by_role("button", name="Undo").is_disabled())
        choose("Duplicate")
        self.rule("Gusts 2").wait_for()
        gusts.hover()
        gusts.get_by_role("button", name="Switch it off").click()
        gusts.get_by_text("off", exact=True).wait_for()
        page.keyboard.press("Control+z")
        page.keyboard.press("Control+z")
        self.until(lambda: self.rule("Gusts 2").count() == 0, "as it was")
        self.saved()

    def test_the_keyboard_reaches_time_and_stage(self) -> None:
        page = self.open_demo()
        page.evaluate("document.activeElement.blur()")
        frame = page.get_by_test_id("frame")
        for key, expected in (("End", "120"), (",", "119"), (".", "120"), ("Home", "0")):
            page.keyboard.press(key)
            self.until(
                lambda expected=expected: frame.input_value() == expected, f"{key} goes to frame {expected}"
            )
        page.get_by_test_id("playhead").focus()
        page.keyboard.press("ArrowRight")
        page.keyboard.press("PageUp")
        self.until(lambda: frame.input_value() == "11", "arrows and page keys on the strip")
        page.evaluate("document.activeElement.blur()")
        page.keyboard.press("l")
        page.get_by_role("tab", name="Guide").wait_for()
        page.keyboard.press("l")
        self.until(lambda: page.get_by_role("tab", name="Guide").count() == 0, "the lens is folded away")
        page.keyboard.press("g")
        page.get_by_label("Search the guide").wait_for()
        page.get_by_role("button", name="Light", exact=True).click()
        page.reload()
        self.assertEqual(page.evaluate("document.documentElement.dataset.tone"), "light")
        page.get_by_role("button", name="Dark", exact=True).click()

    def test_two_tabs(self) -> None:
        first = self.open_demo()
        second = self.new_page()
        second.goto(first.url)
        second.get_by_text("all frames computed").wait_for()
        first.get_by_label("Name of the effect").fill("Mine")
        first.get_by_label("Name of the effect").press("Enter")
        self.saved()
        second.get_by_role("heading", name="Changed in another tab").wait_for()
        second.get_by_role("button", name="Take the other version").click()
        self.until(
            lambda: second.get_by_label("Name of the effect").input_value() == "Mine", "the other tab's name"
        )
        second.get_by_label("Name of the effect").fill("Hail on the tin roof")
        second.get_by_label("Name of the effect").press("Enter")
        first.get_by_role("heading", name="Changed in another tab").wait_for()
        first.get_by_role("button", name="Keep mine").click()
        self.saved()
        self.assertEqual(first.get_by_label("Name of the effect").input_value(), "Mine")
        second.context.close()
        first.get_by_label("Name of the effect").fill("Hail on the tin roof")
        first.get_by_label("Name of the effect").press("Enter")
        self.saved()

    def test_accessibility(self) -> None:
        """axe-core (WCAG 2.2 A and AA) finds nothing serious on the library and in an open effect, dark and light."""
        page = self.open_demo()
        for tone in ("dark", "light"):
            page.evaluate("tone => document.documentElement.dataset.tone = tone", tone)
            self.assertEqual(self.violations(page), [], tone)
        page.goto(self.server.url)
        page.get_by_role("heading", name="Hail on the tin roof").wait_for()
        self.assertEqual(self.violations(page), [])

    def test_nothing_is_wider_than_the_window(self) -> None:
        page = self.open_demo()
        for width in (1280, 1600):
            page.set_viewport_size({"width": width, "height": 800})
            page.wait_for_timeout(200)
            self.assertLessEqual(page.evaluate("document.documentElement.scrollWidth"), width)
            # The score and its list, without the grip that stands on its edge. One pixel is what rounding a fractional width may give.
            for score in (page.locator("main[aria-label=Score] > :first-child"), page.get_by_test_id("score-list")):
                self.assertLessEqual(score.evaluate("node => node.scrollWidth - node.clientWidth"), 1)


class ServerGone(BrowserCase):
    own_server = True

    def test_a_killed_server_is_told_and_work_goes_on_after(self) -> None:
        page = self.open_demo()
        self.server.kill()
        page.get_by_text("The server does not answer; trying again").wait_for()
        self.server.start()
        page.get_by_test_id("saving").wait_for()
        page.get_by_label("Name of the effect").fill("After the storm")
        page.get_by_label("Name of the effect").press("Enter")
        self.saved()
        self.wait_computed()

    def test_a_part_fetched_while_no_server_answers_comes_when_one_does(self) -> None:
        """The page, and with it what is being done, is not given up for it."""
        page = self.open_demo()
        page.evaluate("window.mine = 1")
        self.server.kill()
        page.get_by_text("The server does not answer; trying again").wait_for()
        page.get_by_role("button", name=re.compile("^Keyboard")).click()
        page.wait_for_timeout(1000)
        self.assertEqual(page.get_by_role("dialog").count(), 0)
        self.assertEqual(page.evaluate("window.mine"), 1)
        self.server.start()
        page.get_by_role("dialog", name="Keyboard").wait_for()
        self.assertEqual(page.evaluate("window.mine"), 1)


if __name__ == "__main__":
    unittest.main()
