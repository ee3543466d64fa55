"""Whole jobs from *New effect* by mouse and keyboard alone, with every deliberate gesture counted: a click, a drag, a typed value, a key."""

from __future__ import annotations

import json
import re
import urllib.request
from typing import Any

from playwright.sync_api import Locator

from tests.browser.test_story import BrowserCase


class Gestures(BrowserCase):
    def setUp(self) -> None:
        super().setUp()
        self.made = 0
        self.page.goto(self.server.url)

    def click(self, what: Locator) -> None:
        self.made += 1
        what.click()

    def typed(self, text: str, then: str = "Enter") -> None:
        """A value typed over what has the focus; Tab goes on to the next."""
        self.made += 1
        self.page.keyboard.type(text)
        self.page.keyboard.press(then)

    def key(self, key: str) -> None:
        self.made += 1
        self.page.keyboard.press(key)

    def button(self, name: str, within: Locator | None = None) -> Locator:
        return (within or self.page).get_by_role("button", name=re.compile(name)).first

    def begin(self, starter: str) -> None:
        self.click(self.page.get_by_role("button", name="New effect", exact=True))
        self.click(self.button(f"^{starter}"))
        self.wait_computed()

    def choose(self, say: str, option: str) -> None:
        """Say what it should do, and take what is found."""
        self.made += 1
        self.page.get_by_placeholder("Search").fill(say)
        self.click(self.page.get_by_role("option", name=option, exact=True))

    def document(self) -> dict[str, Any]:
        self.saved()
        address = self.page.url.replace("/effects/", "/api/effects/")
        found: dict[str, Any] = json.load(urllib.request.urlopen(address))["document"]
        return found

    def test_a_lattice_that_wanders_its_box_exchanged_for_a_ring(self) -> None:
        page = self.page
        self.begin("Filling a shape")
        self.key("r")
        mine = self.rule("New rule")
        self.click(mine.get_by_role("button", name="+ action"))
        self.choose("wander", "ambient drift")
        self.click(self.button("^Way", mine))
        self.typed("0.12", "Tab")
        self.typed("0.6", "Tab")
        self.typed("0.3")
        self.key("Escape")
        box = page.get_by_role("listitem", name="Box", exact=True)
        self.click(box.get_by_role("button", name="box", exact=True))
        self.click(page.get_by_role("option", name="Ring", exact=True))
        self.click(self.button("^Radius", box))
        self.typed("0.8", "Tab")
        self.typed("0.25")
        document = self.document()
        drift = document["rules"][0]["actions"][0]
        self.assertEqual(
            (drift["kind"], drift["travel"], drift["size"], drift["change"]), ("drift", 0.12, 0.6, 0.3)
        )
        self.assertEqual((document["shapes"][0]["kind"], document["shapes"][0]["radius"]), ("ring", 0.8))
        self.wait_computed()
        self.seek(60)
        self.assertGreater(int(page.get_by_test_id("stage").get_attribute("data-count") or 0), 100)
        self.assertLessEqual(self.made, 35)
        print(f"(a wandering lattice in a ring: {self.made} gestures)")

    def test_a_trail_of_three_hundred_points(self) -> None:
        page = self.page
        self.begin("One particle")
        self.key("r")
        mine = self.rule("New rule")
        self.click(mine.get_by_role("button", name="+ action"))
        self.choose("swirl", "turbulence")
        self.click(page.get_by_role("button", name="Add look", exact=True))
        self.choose("ribbon", "trails")
        look = page.locator('[data-item="looks/trails"]')
        self.click(self.button("^Points", look))
        self.typed("300")
        self.key("Escape")
        self.click(self.button("^All values of", look))
        values = page.get_by_role("dialog")
        self.click(self.button("^Spacing", values))
        self.typed("0.02")
        self.click(self.button("^Sway:", values))
        self.typed("0.1")
        self.key("Escape")
        trails = self.document()["looks"][1]
        self.assertEqual((trails["length"]["points"], trails["spacing"]), (300, 0.02))
        self.assertLessEqual(self.made, 45)
        print(f"(a trail of 300 points: {self.made} gestures)")
