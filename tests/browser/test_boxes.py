"""Boxes of values: Enter keeps and closes, what is added opens its first value, Tab goes on; a press belongs to its button."""

from __future__ import annotations

import json
import re
import urllib.request
from typing import Any

from tests.browser.cases import BrowserCase
from tests.support import document, rule

PULL = {"kind": "gravity", "acceleration": 5.0}


class Boxes(BrowserCase):
    def opened(self) -> None:
        self.open_made(document(rule(PULL, id="pull", label="Pull"), count=20, clock={"duration": 0.5}))
        self.wait_computed()

    def typed(self, text: str, key: str = "Enter") -> None:
        """Typed over the value whose box is open; the box closes."""
        self.page.locator("input:focus").wait_for()
        self.page.keyboard.type(text)
        self.page.keyboard.press(key)
        self.page.get_by_role("dialog").wait_for(state="detached")

    def pull(self) -> Any:
        return self.document()["rules"][0]["actions"][0]["acceleration"]

    def test_enter_keeps_and_closes_escape_takes_back(self) -> None:
        self.opened()
        page = self.page
        for shown, text, key in ((5, "7", "Enter"), (7, "9", "Escape")):
            chip = self.rule("Pull").get_by_role("button", name=re.compile(f"^Acceleration: {shown}")).first
            chip.click()
            self.typed(text, key)
            self.assertEqual(self.pull(), {"kind": "fixed", "value": 7.0}, key)
        # What cannot be read stays, with the reason.
        chip.click()
        page.keyboard.type("soon")
        page.keyboard.press("Enter")
        page.get_by_role("dialog").get_by_text("“soon” is no number").wait_for()

    def test_what_is_added_and_what_is_exchanged_opens_its_first_value(self) -> None:
        """Three picks by the keyboard, three values, no box opened by hand."""
        self.opened()
        page, card = self.page, self.rule("Pull")
        card.click(position={"x": 60, "y": 10})
        card.get_by_role("button", name="+ action").click()
        page.keyboard.type("opacity")
        page.keyboard.press("Enter")
        self.typed("0.25")
        actions = self.document()["rules"][0]["actions"]
        self.assertEqual((actions[1]["kind"], actions[1]["attribute"], actions[1]["amount"]["value"]), ("set", "opacity", 0.25))
        page.locator('[data-exchange="rules/0/actions/1"]').first.click()
        page.keyboard.type("approach")
        page.keyboard.press("Enter")
        self.typed("0.75")
        action = self.document()["rules"][0]["actions"][1]
        self.assertEqual((action["kind"], action["attribute"], action["amount"]["value"]), ("approach", "opacity", 0.75))
        card.get_by_role("button", name="always").click()
        page.keyboard.type("time on the clock")
        page.keyboard.press("Enter")
        page.get_by_role("dialog", name=re.compile("Threshold")).locator("input:focus").wait_for()
        self.typed("0.2")
        condition = self.document()["rules"][0]["condition"]
        self.assertEqual((condition["quantity"]["kind"], condition["threshold"]["value"]), ("time", 0.2))

    def test_a_box_closes_where_its_chip_is_scrolled_away(self) -> None:
        """It went on taking what was typed above the window."""
        many = [rule(PULL, id=f"r{number}", label=f"Pull {number}") for number in range(30)]
        self.open_made(document(*many, count=20, clock={"duration": 0.5}))
        self.wait_computed()
        page = self.page
        self.rule("Pull 0").get_by_role("button", name=re.compile("^Acceleration")).first.click()
        page.locator("input:focus").wait_for()
        page.keyboard.type("8")
        score = page.get_by_role("main", name="Score").bounding_box()
        assert score
        page.mouse.move(score["x"] + 20, score["y"] + score["height"] - 60)
        page.mouse.wheel(0, 40)
        page.wait_for_timeout(200)
        self.assertEqual(page.get_by_role("dialog").count(), 1)
        page.mouse.wheel(0, 4000)
        page.get_by_role("dialog").wait_for(state="detached")
        # Leaving it kept the value.
        self.until(lambda: self.pull() == {"kind": "fixed", "value": 8.0}, "kept")

    def test_what_is_typed_is_taken_and_the_same_again_begins_anew(self) -> None:
        """*Colour*, typed where *set radius* stood, gave *set radius*."""
        small = {"kind": "set", "attribute": "radius", "amount": {"kind": "fixed", "value": 0.3}}
        self.open_made(document(rule(small, id="pull", label="Pull"), count=20, clock={"duration": 0.5}))
        self.wait_computed()
        page = self.page
        exchanged = page.locator('[data-exchange="rules/0/actions/0"]').first
        exchanged.click()
        page.keyboard.type("colour")
        page.keyboard.press("Enter")
        page.get_by_role("dialog").locator("input:focus").first.wait_for()
        page.keyboard.press("Escape")
        action = self.document()["rules"][0]["actions"][0]
        self.assertEqual((action["kind"], action["attribute"], len(action["amount"]["value"])), ("set", "color", 3))
        exchanged.click()
        page.keyboard.type("attraction")
        page.keyboard.press("Enter")
        self.typed("44")
        self.assertEqual(self.document()["rules"][0]["actions"][0]["strength"]["value"], 44.0)
        exchanged.click()
        page.keyboard.type("attraction")
        page.keyboard.press("Enter")
        page.get_by_text("Its values began anew.").wait_for()
        self.typed("", "Escape")
        self.assertEqual(self.document()["rules"][0]["actions"][0]["strength"]["value"], 3.0)

    def test_in_a_list_of_values_enter_closes_one_and_tab_goes_on(self) -> None:
        self.opened()
        page, source = self.page, self.rule("Source")
        source.get_by_role("button", name="All values of Source").click()
        values = page.get_by_role("dialog", name="All values of Source")
        values.get_by_role("button", name=re.compile("^Radius")).click()
        page.keyboard.type("0.2")
        page.keyboard.press("Enter")
        self.until(lambda: page.get_by_role("dialog").count() == 1, "the list is still there")
        values.get_by_role("button", name=re.compile("^Radius: 0.2 m")).click()
        page.keyboard.type("0.3")
        page.keyboard.press("Tab")
        page.keyboard.press("Escape")
        page.keyboard.press("Escape")
        self.assertEqual(self.document()["sources"][0]["radius"], {"kind": "fixed", "value": 0.3})

    def test_a_press_is_its_buttons_though_that_moves(self) -> None:
        """What is computed meanwhile re-wraps the score between press and release; drawn away by hand, nothing is pressed."""
        self.opened()
        page = self.page
        page.evaluate(
            """() => {
                const button = document.createElement("button");
                button.id = "moving";
                button.textContent = "press";
                button.style.cssText = "position: fixed; left: 300px; top: 300px; z-index: 999";
                window.pressed = 0;
                button.onclick = () => window.pressed++;
                button.onmousedown = () => window.moves && setTimeout(() => (button.style.top = "400px"), 10);
                document.body.append(button);
            }"""
        )
        box = page.locator("#moving").bounding_box()
        assert box
        x, y = box["x"] + 5, box["y"] + 5
        page.evaluate("window.moves = true")
        page.mouse.move(x, y)
        page.mouse.down()
        self.until(lambda: page.evaluate("document.getElementById('moving').style.top") == "400px", "it moves")
        page.mouse.up()
        self.until(lambda: page.evaluate("window.pressed") == 1, "it was pressed")
        page.evaluate("window.moves = false; document.getElementById('moving').style.top = '300px'")
        page.mouse.move(x, y)
        page.mouse.down()
        page.mouse.move(x + 300, y + 200, steps=3)
        page.mouse.up()
        page.mouse.click(x, y)
        self.until(lambda: page.evaluate("window.pressed") == 2, "once more, by the click alone")


class Beginning(BrowserCase):
    def test_a_double_click_on_a_starter_makes_one_effect(self) -> None:
        page = self.page
        page.goto(self.server.url)

        def names() -> list[str]:
            return [row["name"] for row in json.load(urllib.request.urlopen(f"{self.server.url}/api/effects"))]

        before = names()
        page.get_by_role("button", name="New effect", exact=True).click()
        page.get_by_role("button", name=re.compile("^One particle")).dblclick()
        self.wait_computed()
        made = names()
        self.assertEqual(len(made), len(before) + 1)
        self.assertEqual(len(set(made) - set(before)), 1, "under a name of its own")
