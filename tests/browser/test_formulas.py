"""Formulas from *New effect* by mouse and keyboard: a mobile on one control shape, crowds pushed away over their radii, a typo mended."""

from __future__ import annotations

import re

import numpy as np
from playwright.sync_api import Locator
from scipy.spatial import cKDTree

from hailridge import demo
from hailridge.core.scene.plan import Plan
from hailridge.model.validation import read_effect
from tests.browser.jobs import Job
from tests.support import document, rule, run


class Writing(Job):
    def open_lines(self, within: Locator, name: str = "Lines") -> None:
        """Open a formula: by the chip that shows it, once what was open before is gone."""
        self.until(lambda: self.page.get_by_role("dialog").count() == 0, "nothing else is open")
        self.page.wait_for_timeout(300)
        self.click(within.get_by_role("button", name=re.compile(f"^{name}: ")))

    def write(self, text: str, name: str = "Lines") -> Locator:
        """Type a formula over the one that is there, line by line; what is offered meanwhile is left alone."""
        editor = self.page.get_by_role("textbox", name=name, exact=True)
        editor.wait_for()
        self.made += 1
        self.typed_over(editor, text)
        return editor

    def shown(self) -> list[str]:
        """What stands at the ends of the lines."""
        return self.page.locator(".cm-given").evaluate_all("all => all.map((one) => one.dataset.given)")


MOBILE = """slow = 0.5 * time
post = vec3(2 * cos(slow), 0, 2 * sin(slow))
round = 0.6 * vec3(cos(2 * slow), 0, sin(2 * slow))
position = in_world("Point", post if id == 0 else post + round)"""


class Mobile(Writing):
    def test_lanterns_circle_and_one_shape_moves_it_all(self) -> None:
        """Number 0 circles a post, number 1 circles number 0 twice as fast; the post is a shape that moves and turns."""
        page = self.page
        self.begin("One particle")
        self.key("Home")
        source = page.locator("[data-item^=sources]")
        self.click(source.get_by_role("button", name="exactly one"))
        self.click(page.get_by_role("option", name="many at once"))
        self.click(source.get_by_role("button", name=re.compile("^Particles|^How many|^Number")).first)
        self.typed("2")
        self.key("Escape")
        self.click(self.button("^Add shape"))
        self.click(page.get_by_role("option", name="Point", exact=True))
        post = page.locator('[data-item="shapes/point"]')
        self.click(post.get_by_role("button", name="(0, 0, 0)"))
        self.typed("0", then="Tab")
        self.typed("1", then="Tab")
        self.click(page.get_by_role("dialog").get_by_role("button", name="+ keyframes"))
        self.key("Escape")
        self.key("r")
        mine = self.rule("New rule")
        self.click(mine.get_by_role("button", name="+ action"))
        self.choose("circle", "write by formula")
        self.open_lines(mine)
        self.write(MOBILE)
        self.until(lambda: len(self.shown()) == 4, "each line tells its value")
        self.key("Escape")
        self.wait_computed()
        self.seek(96)
        self.click(post.get_by_role("button", name="(0, 1, 0)"))
        self.typed("3")
        self.key("Escape")
        self.open_lines(mine)
        self.until(lambda: self.shown()[:1] == ["2"], f"half of four seconds: {self.shown()}")
        document = self.document()
        self.told("a mobile on one control shape", 30)
        for rate in (24.0, 60.0):
            timed = document | {"clock": document["clock"] | {"frames_per_second": rate}}
            plan = Plan(read_effect(timed), demo.assets())
            for frame in run(timed, assets=demo.assets())[1:]:
                first, second = frame.columns["position"].astype(np.float64)
                centre = plan.at(frame.time).pose("point").transform.translation
                # Circles of radius 2 and 0.6 (handbook mechanics); the second turns about the first at twice its rate.
                self.assertAlmostEqual(float(np.linalg.norm(first - centre)), 2.0, places=5)
                self.assertAlmostEqual(float(np.linalg.norm(second - first)), 0.6, places=5)
                slow = np.arctan2(first[2] - centre[2], first[0] - centre[0])
                fast = np.arctan2(second[2] - first[2], second[0] - first[0])
                self.assertAlmostEqual(float(np.cos(fast - 2 * slow)), 1.0, places=5)
            self.assertGreater(centre[0], 2.9)


CROWD = """away = -way_of("Surroundings")
gap = length(away) - radius - value_of("Surroundings", "radius")
second = -way_of("Surroundings", 2)
room = length(second) - radius - value_of("Surroundings", "radius", order=2)
position += normalize(away) * max(0, -gap) / 2 + normalize(second) * max(0, -room) / 2"""


class Crowd(Writing):
    def test_the_nearest_two_push_it_away_over_their_radii(self) -> None:
        """Who overlaps the nearest two, each by its own radius, moves half of the way out, step by step."""
        page = self.page
        self.begin("Filling")
        self.key("Home")
        source = page.locator("[data-item^=sources]")
        self.click(source.get_by_role("button", name="0.025 m"))
        self.typed("0.08")
        self.key("Escape")
        self.click(page.get_by_role("button", name=re.compile("^Add neighbourhood")))
        self.key("r")
        mine = self.rule("New rule")
        self.click(mine.get_by_role("button", name="+ action"))
        self.choose("mathematics", "write by formula")
        self.open_lines(mine)
        # A slip of the pen, mended by what is offered.
        self.write(CROWD.replace("length(away)", "lenght(away)"))
        page.get_by_role("alert").get_by_text("did you mean 'length'? (column 7)").wait_for()
        self.click(page.get_by_role("button", name="Take length"))
        self.until(lambda: len(self.shown()) == 5, "each line tells its value")
        self.key("Escape")
        document = self.document()
        self.told("the nearest two push by a formula", 15)
        self.assertEqual(document["rules"][-1]["actions"][0]["text"], CROWD)
        overlaps = []
        for frame in run(document, assets=demo.assets()):
            places, radius = frame.columns["position"].astype(np.float64), frame.columns["radius"]
            pairs = cKDTree(places).query_pairs(2 * float(radius.max()), output_type="ndarray")
            near = np.linalg.norm(places[pairs[:, 0]] - places[pairs[:, 1]], axis=1)
            overlaps.append(np.maximum(radius[pairs].sum(axis=1) - near, 0).sum())
        self.assertLess(overlaps[-1], overlaps[0] / 2, f"{overlaps[0]:.2f} m of overlap become {overlaps[-1]:.2f} m")


class Saying(Writing):
    def test_what_a_sentence_says_becomes_one(self) -> None:
        page = self.page
        self.begin("Fountain")
        self.key("r")
        mine = self.rule("New rule")
        self.click(mine.get_by_role("button", name="always"))
        self.choose("expression", "a formula is true")
        self.open_lines(mine, "Formula")
        self.write("height() > 1 and age < 2", "Formula")
        self.click(page.get_by_role("button", name="Say it as a sentence"))
        self.until(lambda: "all of these hold" in mine.inner_text() and "passes 1 m" in " ".join(mine.inner_text().split()), "in the words of the score")
        self.told("a formula said as a sentence", 9)
        condition = self.document()["rules"][-1]["condition"]
        self.assertEqual([part["quantity"]["kind"] for part in condition["conditions"]], ["height", "age"])
        self.key("Control+z")
        self.until(lambda: "height() > 1" in mine.inner_text(), "taken back")

    def test_an_attribute_is_renamed_everywhere_at_once(self) -> None:
        """Its name in formulas follows its label, in what writes it and in what reads it, and the frames stay as they are."""
        wet = {"id": "wet", "label": "Wetness", "initial": 0.25}
        lines = {"kind": "formula", "text": "wetness = wetness + dt\nradius = 0.1 * wetness"}
        reading = {"kind": "formula", "text": "wetness > 0.5"}
        raw = document(rule(lines, id="soak", label="Soak"), rule({"kind": "remove"}, id="drop", condition=reading), count=5, attributes=[wet])
        self.open_made(raw)
        page = self.page
        self.rule("Wetness").get_by_text("Wetness", exact=True).dblclick()
        page.get_by_role("textbox", name="Name", exact=True).fill("How damp")
        page.keyboard.press("Enter")
        self.until(lambda: "radius = 0.1 * how_damp" in self.rule("Soak").inner_text(), "the lines follow")
        self.saved()
        self.assertEqual(page.get_by_role("note").count(), 0)
        renamed = self.document()
        self.assertEqual(renamed["rules"][0]["actions"][0]["text"], "how_damp = how_damp + dt\nradius = 0.1 * how_damp")
        self.assertEqual(renamed["rules"][1]["condition"]["text"], "how_damp > 0.5")
        for before, after in zip(run(raw, 8), run(renamed, 8), strict=True):
            np.testing.assert_array_equal(before.columns["own wet"], after.columns["own wet"])
            self.assertEqual(before.count, after.count)

