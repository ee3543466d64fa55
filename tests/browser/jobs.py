"""Doing an artist's job in the interface: by mouse and keyboard, with every deliberate gesture counted."""

from __future__ import annotations

import json
import re
import urllib.request
from typing import Any

from playwright.sync_api import Locator

from tests.browser.cases import BrowserCase


class Job(BrowserCase):
    """A job from *New effect*: a click, a drag, a typed value, a key are a gesture each (`made`)."""

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
        self.until(lambda: self.page.locator("input:focus").count() == 1, f"a box to type {text} into")
        self.page.keyboard.type(text)
        self.page.keyboard.press(then)

    def key(self, key: str) -> None:
        self.made += 1
        self.page.keyboard.press(key)
        # What it brings forth may scroll into view: nobody clicks there in the same tenth of a second.
        self.page.wait_for_timeout(200)

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
        # Nobody clicks in the same millisecond in which the list gets shorter.
        self.page.wait_for_timeout(200)
        self.click(self.page.get_by_role("option", name=option, exact=True))

    def document(self) -> dict[str, Any]:
        self.settled()
        address = self.page.url.replace("/effects/", "/api/effects/")
        found: dict[str, Any] = json.load(urllib.request.urlopen(address))["document"]
        return found

    def told(self, what: str, most: int) -> None:
        print(f"({what}: {self.made} gestures)")
        self.assertLessEqual(self.made, most)
