"""Kinds that somebody else adds are picked, read, edited and computed, without a line of TypeScript."""

from __future__ import annotations

import re
import sys
from pathlib import Path

from playwright.sync_api import Locator

from tests.browser.cases import BrowserCase
from tests.browser.serving import Server

ROOT = Path(__file__).resolve().parents[2]


class Strangers(BrowserCase):
    own_server = True

    @classmethod
    def started(cls) -> Server:
        return Server([sys.executable, str(Path(__file__).with_name("strangers.py"))])

    def pick(self, words: str, name: str) -> None:
        self.page.get_by_placeholder("Search").fill(words)
        self.page.get_by_role("option", name=re.compile(f"^{name}")).first.click()
        self.taken()

    def typed(self, chip: Locator, label: str, value: str) -> None:
        """A value typed into the editor of a chip."""
        if chip.get_attribute("aria-expanded") != "true":
            chip.click()
        box = self.page.get_by_role("textbox", name=label, exact=True)
        box.fill(value)
        box.press("Enter")
        box.wait_for(state="detached")

    def reads(self, card: Locator, words: str) -> None:
        self.until(lambda: words in " ".join(card.inner_text().split()), f"reads '{words}', not '{' '.join(card.inner_text().split())}'")

    def test_one_of_each_is_added_and_edited(self) -> None:
        page = self.page
        page.goto(self.server.url)
        self.new_effect()
        self.wait_computed()

        # A condition and an action.
        page.keyboard.press("r")
        card = self.rule("New rule")
        card.get_by_role("button", name="always").click()
        self.pick("every so many", "every so many")
        self.reads(card, "it is one of every 2")
        self.typed(card.get_by_role("button", name=re.compile("^Of every")), "Of every", "3")
        self.reads(card, "it is one of every 3")
        card.get_by_role("button", name="+ action").click()
        self.pick("hop", "hop")
        self.typed(card.get_by_role("button", name=re.compile("^Height")), "Value", "25cm")
        self.reads(card, "hop by 0.25 m")

        # An amount, in the action's place for one: read off its own sentence, edited by its fields.
        card.get_by_role("button", name=re.compile("^Height")).click()
        page.get_by_role("group", name="How it varies").get_by_role("button", name="halfway").click()
        self.reads(card, "hop by halfway from 0.02 to 0.06")
        box = page.get_by_role("textbox", name="Other end", exact=True)
        box.fill("0.1")
        box.press("Enter")
        self.reads(card, "hop by halfway from 0.02 to 0.1")

        # A quantity, compared.
        page.keyboard.press("r")
        second = self.rule("New rule 2")
        second.get_by_role("button", name="always").click()
        self.pick("compare", "compare a quantity")
        second.get_by_role("button", name="age", exact=True).click()
        self.pick("quietness", "quietness")
        self.reads(second, "quietness over 4 m/s")

        # A shape and a look.
        page.get_by_role("button", name="Add shape").click()
        self.pick("coin", "Coin")
        self.rule("Coin").get_by_text("radius").wait_for()
        page.get_by_role("button", name="Add look").click()
        self.pick("marbles", "marbles")
        page.get_by_text("as marbles").wait_for()

        self.saved()
        self.wait_computed()
        self.seek(30)
        self.until(lambda: self.held("New rule") > 10, "the stranger's rule holds for many")
        self.assertNotIn("–", card.inner_text())
