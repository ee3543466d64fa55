"""Attributes of one's own, from *New effect* by mouse and keyboard alone."""

from __future__ import annotations

import re

from playwright.sync_api import Locator

from tests.browser.cases import BrowserCase


class Attributes(BrowserCase):
    def choose(self, card: Locator, words: str, entry: str) -> None:
        card.get_by_role("button", name=words, exact=True).click()
        self.page.get_by_role("menuitem", name=re.compile(rf"^{entry}")).click()

    def started(self) -> Locator:
        """A new effect with one more attribute: its card."""
        self.page.goto(self.server.url)
        self.new_effect()
        self.wait_computed()
        self.page.get_by_role("button", name="Add attribute").click()
        return self.rule("My value")

    def pick_a_particle(self) -> None:
        """Click through the stage until the probe has somebody."""
        stage, probe = self.page.get_by_test_id("stage").bounding_box(), self.page.get_by_role("region", name="Values")
        assert stage
        for down in range(30, 75, 3):
            for across in range(35, 66, 2):
                self.page.mouse.click(stage["x"] + stage["width"] * across / 100, stage["y"] + stage["height"] * down / 100)
                if probe.count():
                    return
        raise AssertionError("nobody was hit")

    def test_every_type_is_declared_set_and_seen(self) -> None:
        card = self.started()
        for words, entry, first in (
            ("a number", "a whole number", "First value: 0"), ("a whole number", "yes or no", "First value: no"),
            ("yes or no", "a vector", re.compile(r"First value: \(0, 0, 0\)")), ("a vector", "an orientation", re.compile(r"First value: \(0, 0, 0\) °")),
            ("an orientation", "a colour", re.compile("First value")),
        ):  # fmt: skip
            self.choose(card, words, entry)
            card.get_by_role("button", name=first).wait_for()
        self.saved()
        self.assertEqual(self.page.get_by_role("note").count(), 0)

    def test_a_yes_or_no_decides_who_goes(self) -> None:
        page, card = self.page, self.started()
        self.choose(card, "a number", "yes or no")
        card.get_by_role("button", name="First value: no").wait_for()

        # Who touches the floor is marked, on contact.
        page.keyboard.press("r")
        marking = self.rule("New rule")
        self.choose(marking, "at each step", "on contact")
        marking.get_by_role("button", name="+ action").click()
        page.get_by_placeholder("Search").fill("set an attribute")
        page.get_by_role("option", name="set an attribute").first.click()
        self.choose(marking, "radius", "My value")
        marking.get_by_role("button", name="To: yes").wait_for()
        self.saved()
        self.wait_computed()
        self.seek(100)
        before = self.population("Particles")
        self.assertGreater(before, 200)

        # Another rule removes whoever is marked.
        page.keyboard.press("r")
        removing = self.rule("New rule 2")
        removing.get_by_role("button", name="always").click()
        page.get_by_role("option", name="something is so").click()
        removing.get_by_role("button", name=re.compile("touches")).first.click()
        page.get_by_placeholder("Search").fill("yes or no")
        page.get_by_role("option", name="yes or no of its own").click()
        removing.get_by_role("button", name="+ action").click()
        page.get_by_placeholder("Search").fill("remove")
        page.get_by_role("option", name="remove").first.click()
        self.until(lambda: "My value is yes" in " ".join(removing.inner_text().split()), "the fact reads as a sentence")
        self.saved()
        self.wait_computed()
        self.seek(100)
        self.until(lambda: 0 < self.population("Particles") < before / 2, f"fewer than {before}, not {self.population('Particles')}")

        # The probe tells it.
        self.pick_a_particle()
        self.assertIn("no", self.page.get_by_role("region", name="Values").get_by_role("row", name=re.compile("My value")).inner_text())
