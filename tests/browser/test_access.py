"""Every view, dialog, menu and box of the page, by the rules of axe-core (WCAG 2.2 A and AA), in both tones."""

from __future__ import annotations

import re

from playwright.sync_api import Locator

from tests.browser.cases import AXE, BrowserCase
from tests.seeds import NIGHT, drawer

DEMO = "Hail on the tin roof"
RULES = "{runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa']}"
CONTRAST = "{runOnly: {type: 'rule', values: ['color-contrast']}}"
"""All that another tone changes."""
OVER = "[role=dialog], [role=menu]"
"""What opens over the page."""
LENS = "[data-testid=lens]"
"""What changes in it changes nothing around it."""


class Access(BrowserCase):
    def faults(self, where: str, within: str | None = None, rules: str = RULES) -> list[str]:
        """What axe-core finds in the page, or in a part of it: with the rule, the place and why."""
        page = self.page
        if not page.evaluate("'axe' in window"):
            page.evaluate(AXE.read_text())
        found = page.evaluate(
            f"async (what) => (await axe.run(what ?? document, {rules})).violations", within
        )
        return [
            f"{where}: {entry['id']} {entry['nodes'][0]['target']} {entry['nodes'][0]['failureSummary'][:160]}"
            for entry in found
        ]

    def both_tones(self, where: str, within: str | None = None) -> list[str]:
        found = []
        for tone, rules in (("dark", RULES), ("light", CONTRAST)):
            self.page.evaluate("(tone) => { document.documentElement.dataset.tone = tone }", tone)
            # Colours that change little by little have arrived.
            self.page.wait_for_timeout(250)
            found += self.faults(f"{where}, {tone}", within, rules)
        self.page.evaluate("document.documentElement.dataset.tone = 'dark'")
        return found

    def opened(self, opener: Locator, where: str) -> list[str]:
        """Open something, look at it and close it again."""
        page = self.page
        opener.scroll_into_view_if_needed()
        opener.click()
        over = page.locator(OVER)
        over.first.wait_for()
        # What is drawn or fetched inside it is there, too.
        page.wait_for_timeout(100)
        found = self.faults(where, OVER)
        page.keyboard.press("Escape")
        if over.count():
            page.keyboard.press("Escape")
        self.until(lambda: over.count() == 0, f"{where} closes")
        return found

    def test_the_library_and_what_opens_on_it(self) -> None:
        page = self.page
        page.goto(self.server.url)
        page.get_by_role("heading", name=DEMO).wait_for()
        found = self.both_tones("library")
        found += self.opened(page.get_by_role("button", name="New effect", exact=True), "starting points")
        more = page.get_by_role("button", name=re.compile("^More for")).first
        more.hover()
        page.wait_for_timeout(500)
        found += self.opened(more, "menu of an effect")
        self.assertEqual(found, [], "\n".join(found))

    def test_every_box_that_opens_at_a_value(self) -> None:
        """One of each sort, by what it is called and what opens; by day half of the sorts."""
        seen: set[str] = set()
        found: list[str] = []
        choose = drawer("boxes")
        self.open_named(DEMO)
        page = self.page
        chips = page.locator(
            "[data-item] .chip, [data-item] button[aria-label^='All values'], [data-item] button[aria-label^='More ']"
        )
        for index in range(chips.count()):
            chip = chips.nth(index)
            said = chip.get_attribute("aria-label") or chip.inner_text()
            sort = f"{chip.get_attribute('aria-haspopup')} {re.split(':| for | of ', said)[0]}"
            if sort in seen or chip.get_attribute("aria-haspopup") is None:
                continue
            seen.add(sort)
            if not NIGHT and choose.random() < 0.5:
                continue
            chip.locator("xpath=ancestor::*[@data-item]").last.hover()
            found += self.opened(chip, said)
        self.assertGreater(len(seen), 40)
        self.assertEqual(found, [], "\n".join(found))

    def test_the_studio_with_all_that_it_shows(self) -> None:
        page = self.page
        self.open_named("Signal flare")
        self.seek(84)
        found = self.both_tones("studio")
        for part in ("Probe", "Charts", "Advisories", "Guide"):
            self.lens(part)
            page.wait_for_timeout(1200)
            found += self.both_tones(part, LENS)
        self.lens("Charts")
        for chart in ("Values", "Between", "Time"):
            page.get_by_test_id("lens").get_by_role("button", name=chart, exact=True).click()
            page.wait_for_timeout(900)
            found += self.both_tones(f"charts of {chart}", LENS)
        page.evaluate("document.activeElement.blur()")
        for key, what in (("u", "what each item costs"), ("k", "no dials yet")):
            page.keyboard.press(key)
            page.wait_for_timeout(500)
            found += self.both_tones(what)
            page.keyboard.press(key)
        page.keyboard.press("Escape")
        self.rule("Flare").click(position={"x": 50, "y": 10})
        page.get_by_role("button", name="Flare · travel").click()
        found += self.faults("a curve under the clock")
        for name in ("Find a command", "Versions", "Keyboard"):
            found += self.opened(page.get_by_role("button", name=re.compile(f"^{name}")), name)
        page.get_by_role("button", name="Picture", exact=True).click()
        page.locator("[data-testid=picture]").wait_for()
        page.wait_for_timeout(800)
        found += self.both_tones("picture")
        page.keyboard.press("p")
        page.set_viewport_size({"width": 1024, "height": 700})
        page.wait_for_timeout(400)
        found += self.faults("a narrow window")
        self.assertEqual(found, [], "\n".join(found))
