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
