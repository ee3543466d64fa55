"""Doing an artist's job in the interface: by mouse and keyboard, with every deliberate gesture counted."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Any

from playwright.sync_api import Locator
from playwright.sync_api import TimeoutError as PlaywrightTimeout

from hailridge import demo
from hailridge.core.step.simulation import Frame
from tests.browser.cases import BrowserCase
from tests.support import run


class Job(BrowserCase):
    """A job from *New effect*: a click, a drag, a typed value, a key are a gesture each (`made`)."""

    def setUp(self) -> None:
        super().setUp()
        self.made = 0
        self.page.goto(self.server.url)

    def click(self, what: Locator) -> None:
        """Nobody clicks to open what is open: the first value of what was just added is."""
        if what.get_attribute("aria-haspopup") == "dialog" and what.get_attribute("aria-expanded") == "true":
            return
        if self.page.get_by_role("dialog").count() > 0 and not what.evaluate("node => !!node.closest('[role=dialog], [role=menu], [role=listbox]')"):
            # What a box lies over is not clicked: the box is closed before.
            try:
                what.click(trial=True, timeout=2000)
            except PlaywrightTimeout:
                self.key("Escape")
        self.made += 1
        option = what.get_attribute("role") == "option"
        what.click()
        if option:
            self.taken()

    def typed(self, text: str, then: str = "Enter") -> None:
        """A value typed over what has the focus; Tab goes on to the next."""
        self.made += 1
        self.until(lambda: self.page.locator("input:focus").count() == 1, f"a box to type {text} into")
        self.page.keyboard.type(text)
        self.page.keyboard.press(then)
        # The box closes behind it: nobody presses the next key in the same moment, for which that would be another word.
        self.page.wait_for_timeout(100)

    def key(self, key: str) -> None:
        """A key; Escape closes a box, if there is one, and before a letter is meant as a key none may be open."""
        box = self.page.get_by_role("dialog").count() > 0
        if key == "Escape" and not box:
            return
        if box and len(key) == 1:
            self.key("Escape")
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
        self.click(self.page.get_by_role("option", name=re.compile(f"^{re.escape(option)}( |$)")).first)

    def told(self, what: str, most: int) -> None:
        print(f"({what}: {self.made} gestures)")
        self.assertLessEqual(self.made, most)

    def at_rates(self, document: dict[str, Any], *rates: float) -> Iterator[tuple[float, list[Frame]]]:
        """The document's frames at so many a second: at its own rate and at two and a half times that where nothing else is said."""
        for rate in rates or (24.0, 60.0):
            timed = document | {"clock": document["clock"] | {"frames_per_second": rate}}
            yield rate, run(timed, assets=demo.assets())
