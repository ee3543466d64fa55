"""Reproduction from *New effect* by mouse and keyboard: a dividing culture, an explosion survived and mended by a button, marks on the way."""

from __future__ import annotations

import re

import numpy as np

from hailridge import demo
from tests.browser.jobs import Job
from tests.support import run


class Reproduction(Job):
    def test_a_dividing_culture_explodes_and_is_mended_by_a_button(self) -> None:
        page = self.page
        self.begin("One particle")
        self.click(page.get_by_role("button", name="To the start"))
        self.key("r")
        mine = self.rule("New rule")
        self.click(mine.get_by_role("button", name="always"))
        self.choose("age", "compare a quantity")
        self.click(self.button("^Threshold", mine))
        self.typed("0.125")
        self.key("Escape")
        self.click(mine.get_by_role("button", name="+ action"))
        self.choose("split", "give birth")
        # Two for one each tenth of a second: the budget ends it, the run goes on, and the rule says what happened.
        self.wait_computed()
        stopped = mine.get_by_text(
            re.compile(r"multiplies without end.*The particle budget of 200,000 stopped it at frame \d+\.")
        )
        stopped.wait_for()
        buttons = mine.get_by_role("listitem").get_by_role("button")
        self.assertEqual(
            buttons.all_inner_texts(),
            ["1.5 children instead of 2", "After 0.25 s instead of 0.125 s", "A budget of 400,000"],
        )
        document = self.document()
        frames = run(document, 50, assets=demo.assets())
        # A doubling each three frames: 2ⁿ.
        self.assertEqual([frame.count for frame in frames][::3][:16], [2**n for n in range(16)])
        # Before it has run, the forecast says so; the chart reads the doubling time off both.
        forecast = mine.get_by_test_id("forecast")
        self.assertRegex(forecast.inner_text(), r"the budget of 200.000 is reached at frame \d+")
        self.seek(36)
        self.key("c")
        doubling = page.get_by_test_id("doubling")
        self.until(lambda: "0.125 s, expected 0.125 s" in doubling.inner_text(), "the doubling time")
        self.key("Escape")
        self.click(mine.get_by_role("button", name="After 0.25 s instead of 0.125 s"))
        self.until(
            lambda: page.get_by_role("button", name="After 0.5 s instead of 0.25 s").count() == 1, "mended once"
        )
        self.told("a dividing culture", 16)
        mended = self.document()["rules"][0]["condition"]["threshold"]["value"]
        self.assertAlmostEqual(mended, 0.25)

    def test_marks_are_left_on_the_way_and_coloured_by_family(self) -> None:
        page = self.page
        self.begin("Fountain")
        self.click(page.get_by_role("button", name="To the start"))
        self.key("r")
        mine = self.rule("New rule")
        self.click(mine.get_by_role("button", name="Everyone"))
        self.click(page.get_by_role("dialog").get_by_role("checkbox").first)
        self.key("Escape")
        self.click(mine.get_by_role("button", name="+ action"))
        self.choose("footprints", "leave marks")
        self.until(lambda: "Marks" in mine.inner_text(), "a group of their own")
        self.seek(30)
        self.until(lambda: self.population("Marks") > 50, "marks")
        look = page.locator('[data-item^="looks/"]').first
        self.click(self.button("^in their own colour", look))
        self.choose("bands", "bands")
        self.click(look.get_by_role("button", name="its number", exact=True))
        self.choose("ancestor", "family")
        document = self.document()
        self.told("marks on the way", 18)
        self.assertEqual(document["looks"][0]["layers"][0]["quantity"]["kind"], "family")
        frames = run(document, 30, assets=demo.assets())
        last = frames[-1].columns
        marks = last["group"] == len(document["groups"]) - 1
        self.assertEqual(int(marks.sum()), self.population("Marks"))
        # One each twentieth of a metre of the way, and never moved from where it was left.
        first = frames[20].columns
        same = np.isin(last["id"][marks], first["id"])
        kept = np.isin(first["id"], last["id"][marks][same])
        np.testing.assert_array_equal(last["position"][marks][same], first["position"][kept])
        family = last["family"][marks]
        self.assertTrue(np.isin(family, last["parent_id"][marks]).all())
