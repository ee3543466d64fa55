"""Somebody who tries everything: seeded gestures over a new effect and a demo, at night by the seed of the day; whatever he does, the page stays whole.

HAILRIDGE_GESTURES (how many on each effect) explores further; with HAILRIDGE_MINUTES he goes on for so long, from demo to demo (`./run night user`).
"""

from __future__ import annotations

import json
import os
import random
import time
import unittest
import urllib.request
from typing import Any

from playwright.sync_api import Error, Locator

import hailridge.core  # noqa: F401  (loads the registry)
from hailridge import demo
from hailridge.model.validation import read_effect
from tests.browser.cases import BrowserCase
from tests.seeds import drawer

PINNED = 20261126
"""By day he does the same each time: what he finds otherwise is not the fault of whoever runs the tests. At night it is the seed of the day."""

GESTURES = int(os.environ.get("HAILRIDGE_GESTURES", "30"))
MINUTES = float(os.environ.get("HAILRIDGE_MINUTES", "0"))

TYPED = [
    "0.5", "2", "80%", "+10%", "10f", "1,000", "1/24", "3 3", "2 min", "5 km", "-1", "abc", "1e9", "0", "40 cm", "*2", "25", "", "0,5", "60k",
]  # fmt: skip

LOOK = """() => {
  const text = document.body.innerText;
  const chips = [...document.querySelectorAll('.chip')].filter((chip) => !chip.innerText.trim() && !chip.querySelector('span,svg,input'));
  const thin = [...document.querySelectorAll('.chip')].filter((chip) => chip.getBoundingClientRect().width < 2 && chip.offsetParent);
  const bad = /\\b(undefined|NaN|null|\\[object)\\b/.exec(text);
  const at = bad ? text.slice(Math.max(0, bad.index - 60), bad.index + 40) : '';
  return { bad: at, chips: [...chips, ...thin].map((chip) => chip.outerHTML.slice(0, 200)) };
}"""


class RandomUser(BrowserCase):
    choose: random.Random

    def setUp(self) -> None:
        super().setUp()
        self.told: list[str] = []
        page = self.page
        page.on("pageerror", lambda error: self.told.append(f"error in the page: {error}"))
        page.on("console", lambda message: message.type == "error" and self.told.append(f"red in the console: {message.text}"))
        page.on("response", lambda answer: answer.status >= 400 and self.told.append(f"{answer.status} {answer.url}"))
        page.set_default_timeout(3000)

    def document(self) -> dict[str, Any]:
        effect = self.page.url.rsplit("/", 1)[1]
        stored = json.load(urllib.request.urlopen(f"{self.server.url}/api/effects/{effect}"))
        found: dict[str, Any] = stored["document"]
        return found

    def settle(self) -> None:
        """Saved, or told why not."""
        page = self.page
        self.until(
            lambda: page.locator("[data-testid=saving]").all_inner_texts() == ["saved"] or page.get_by_role("alert").count() > 0, "saved, or told why"
        )

    def whole(self, done: str) -> None:
        self.settle()
        seen = self.page.evaluate(LOOK)
        problems = [*self.told, *([f"the page says {seen['bad']!r}"] if seen["bad"] else []), *(f"an empty chip {chip}" for chip in seen["chips"])]
        # What the server says of a fault of its own is gone with it.
        said = self.server.log.read_text("utf-8", "replace")[-1500:] if any(problem.startswith("5") for problem in problems) else ""
        self.assertEqual(problems, [], f"after {done}\n{said}")
        read_effect(self.document())

    # ── What he does ────────────────────────────────────────────────────────────────────────────────────────────────────

    def some(self, selector: str) -> Locator | None:
        """One of the things that can be seen."""
        found = self.page.locator(selector).filter(visible=True)
        number = found.count()
        return found.nth(self.choose.randrange(number)) if number else None

    def gesture(self) -> str:
        kind = self.choose.choice(["chip"] * 9 + ["add", "add", "key", "key", "more", "stage", "strip", "tab", "remove", "undo", "rename"])
        return str(getattr(self, f"do_{kind}")())

    def do_chip(self) -> str:
        chip = self.some("main[aria-label=Score] .chip, main[aria-label=Score] .more")
        if chip is None:
            return "nothing"
        words = chip.inner_text()
        chip.scroll_into_view_if_needed()
        chip.click()
        return f"click on '{words}', then {self.inside()}"

    def inside(self) -> str:
        """Something in the menu or box that has opened."""
        page = self.page
        page.wait_for_timeout(120)
        for selector in ("[role=menuitem]", "[role=option]"):
            if (entry := self.some(selector)) is not None:
                words = entry.inner_text()
                entry.click()
                page.wait_for_timeout(250)
                return f"choose '{words}'"
        box = page.locator("[data-radix-popper-content-wrapper]")
        if box.count() == 0:
            return "nothing"
        choices = ["input.tabular", "[role=group] button", "[role=slider]", "input[type=checkbox]", "input[type=color]"]
        self.choose.shuffle(choices)
        done = "nothing"
        for choice in choices:
            found = self.some(f"[data-radix-popper-content-wrapper] {choice}")
            if found is None:
                continue
            if choice == "input.tabular":
                text = self.choose.choice(TYPED)
                found.fill(text)
                found.press(self.choose.choice(["Enter", "Tab", "Escape"]))
                done = f"type '{text}'"
            elif choice == "[role=slider]":
                found.focus()
                for _ in range(self.choose.randint(1, 5)):
                    page.keyboard.press(self.choose.choice(["ArrowRight", "ArrowLeft", "End"]))
                done = "move a slider"
            elif choice == "input[type=color]":
                continue
            else:
                done = f"press '{found.get_attribute('title') or found.inner_text()}'"
                found.click()
            break
        page.wait_for_timeout(200)
        page.keyboard.press("Escape")
        page.keyboard.press("Escape")
        return done

    def do_add(self) -> str:
        button = self.some("main[aria-label=Score] button[aria-label^='Add ']")
        if button is None:
            return "nothing"
        label = button.get_attribute("aria-label")
        if label == "Add shape":
            button.click()
            self.page.get_by_role("option", name=self.choose.choice(["box", "disc", "ring", "plane"]), exact=True).click()
            return "add a shape"
        button.click()
        return f"{label}, then {self.inside()}"

    def do_more(self) -> str:
        card = self.some("main[aria-label=Score] [data-item^='rules/']")
        if card is None:
            return "nothing"
        card.click(position={"x": 60, "y": 12})
        button = self.some("main[aria-label=Score] button:text-matches('^\\\\+ (action|otherwise|condition)')")
        if button is None:
            return "choose a rule"
        words = button.inner_text()
        button.click()
        return f"{words}, then {self.inside()}"

    def do_key(self) -> str:
        key = self.choose.choice(["Space", ".", ",", "Home", "End", "r", "b", "c", "0", "1", "l", "l", "Escape", "g"])
        self.page.keyboard.press(key)
        self.page.wait_for_timeout(150)
        return f"key {key}"

    def do_undo(self) -> str:
        key = self.choose.choice(["Control+z", "Control+z", "Control+Shift+z"])
        self.page.keyboard.press(key)
        return key

    def do_stage(self) -> str:
        box = self.page.get_by_test_id("stage").bounding_box()
        assert box
        self.page.mouse.click(box["x"] + box["width"] * self.choose.uniform(0.2, 0.8), box["y"] + box["height"] * self.choose.uniform(0.2, 0.8))
        return "click on the stage"

    def do_strip(self) -> str:
        box = self.page.get_by_test_id("strip").bounding_box()
        assert box
        self.page.mouse.click(box["x"] + box["width"] * self.choose.random(), box["y"] + box["height"] / 2)
        return "click on the strip"

    def do_tab(self) -> str:
        tab = self.some("[role=tab]")
        if tab is not None:
            tab.click()
        return "another tab of the lens"

    def do_remove(self) -> str:
        button = self.some("main[aria-label=Score] button[aria-label^='Remove: ']")
        if button is None:
            return "nothing"
        button.click()
        return "remove an action"

    def do_rename(self) -> str:
        field = self.page.get_by_label("Name of the effect")
        field.fill(self.choose.choice(["Mine", "Yours", "Ours"]))
        field.press("Enter")
        return "rename the effect"

    # ── The session ─────────────────────────────────────────────────────────────────────────────────────────────────────

    def session(self, gestures: int) -> None:
        page = self.page
        self.settle()
        start = self.document()
        for number in range(gestures):
            try:
                done = self.gesture()
            except Error as error:
                # What cannot be clicked because something lies over it is closed first.
                page.keyboard.press("Escape")
                page.keyboard.press("Escape")
                done = f"a try ({str(error).splitlines()[0]})"
            if page.get_by_role("dialog").filter(has=page.get_by_role("button", name="Keep it")).count():
                page.get_by_role("button", name="Keep it").click()
            self.whole(f"gesture {number}: {done}")
        page.keyboard.press("Escape")
        page.evaluate("document.activeElement.blur()")
        if page.get_by_role("button", name="Pause", exact=True).count():
            page.keyboard.press("Space")
        end = self.document()
        undo, redo = page.get_by_role("button", name="Undo", exact=True), page.get_by_role("button", name="Redo", exact=True)
        redone = 0
        while redo.is_enabled():
            redo.click()
            redone += 1
        if redone:
            self.settle()
            end = self.document()
        while undo.is_enabled():
            undo.click()
        self.whole("undoing everything")
        self.assertEqual(self.document(), start, "undone, it is as it was")
        while redo.is_enabled():
            redo.click()
        self.whole("redoing everything")
        self.assertEqual(self.document(), end, "redone, it is as it had become")
        page.reload()
        self.settle()
        self.assertEqual(self.document(), end)
        self.whole("reloading")

    def test_a_new_effect(self) -> None:
        print(f"(random user: seed {PINNED}, {GESTURES} gestures)", flush=True)
        self.choose = random.Random(PINNED)
        self.page.goto(self.server.url)
        self.new_effect()
        self.page.get_by_text("Spring", exact=True).first.wait_for()
        self.session(GESTURES)

    def test_a_demo(self) -> None:
        self.choose = random.Random(PINNED + 1)
        self.visit("shutters-in-the-gust", GESTURES)

    def visit(self, name: str, gestures: int) -> None:
        self.page.goto(self.server.url)
        self.page.get_by_role("heading", name=demo.document(name)["name"], exact=True).click()
        self.page.locator("[data-item^='rules/']").first.wait_for()
        self.session(gestures)

    @unittest.skipUnless(MINUTES, "HAILRIDGE_MINUTES says for how long (./run night user)")
    def test_for_long(self) -> None:
        """From demo to demo, as often as there is time for."""
        until, number = time.monotonic() + MINUTES * 60, 0
        while time.monotonic() < until:
            number += 1
            self.choose = drawer(f"random user {number}")
            name = self.choose.choice(demo.names())
            print(f"(random user {number}: {name})", flush=True)
            with self.subTest(number=number, demo=name):
                self.server.begin_anew()
                self.visit(name, GESTURES)


if __name__ == "__main__":
    unittest.main()
