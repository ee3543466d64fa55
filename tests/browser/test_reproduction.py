"""Reproduction from *New effect* by mouse and keyboard: a dividing culture, an explosion survived and mended by a button, marks on the way."""

from __future__ import annotations

import itertools
import re

import numpy as np
from playwright.sync_api import Locator

from hailridge import demo
from hailridge.core.state.events import Happening
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

    def test_slow_and_fast_growth_side_by_side(self) -> None:
        """One dial, two values, one clock: each has doubled once for each time that its own age of splitting goes into the time."""
        page = self.page
        self.begin("One particle")
        self.click(page.get_by_role("button", name="To the start"))
        self.key("r")
        mine = self.rule("New rule")
        self.click(mine.get_by_role("button", name="always"))
        self.choose("age", "compare a quantity")
        self.click(self.button("^Threshold", mine))
        self.typed("0.5")
        self.click(self.button("^Threshold", mine))
        self.click(page.get_by_role("dialog").get_by_role("button", name="a dial", exact=True))
        self.until(lambda: "0.5 s" in self.dial().inner_text(), "a dial with the unit of what it is held against")
        self.key("Escape")
        self.click(mine.get_by_role("button", name="+ action"))
        self.choose("split", "give birth")
        self.click(self.dial().get_by_role("button", name="More for Dial"))
        self.click(page.get_by_role("menuitem", name="Compare with another value"))
        here, there = page.get_by_test_id("stage"), page.get_by_test_id("stage-beside")
        self.seek(90)
        counts = lambda: [stage.get_attribute("data-count") for stage in (here, there)]  # noqa: E731
        self.until(lambda: counts() == ["128", "32"], "both populations at 3.75 s")
        self.told("slow and fast growth beside each other", 20)
        for stage in (here, there):
            self.assertEqual(stage.get_attribute("data-frame"), "90")
        # Either value is changed over its own stage; the effect itself has only the first.
        boxes = [page.get_by_label(f"Dial on the {side}", exact=True) for side in ("left", "right")]
        boxes[1].click()
        self.typed("0.25")
        self.until(lambda: counts() == ["128", str(2**15)], "the other value")
        boxes[0].click()
        self.typed("0.75")
        self.until(lambda: counts() == ["32", str(2**15)], "its own value")
        document = self.document()
        self.assertEqual(document["dials"][0]["value"], 0.75)
        frames = run(document, 90, assets=demo.assets())
        self.assertEqual(frames[-1].count, 32)
        self.click(self.button("^Open: Charts"))
        page.get_by_text("beside it").wait_for()
        # One camera: turned here, turned there.
        before = page.evaluate("document.querySelector('[data-testid=stage-beside]').dataset.drawn")
        box = here.bounding_box()
        assert box
        page.mouse.move(box["x"] + 80, box["y"] + 200)
        page.mouse.down()
        page.mouse.move(box["x"] + 140, box["y"] + 220, steps=4)
        page.mouse.up()
        self.until(
            lambda: page.evaluate("document.querySelector('[data-testid=stage-beside]').dataset.drawn") != before, "turned"
        )
        self.click(page.get_by_role("button", name="Done comparing"))
        self.until(lambda: there.count() == 0, "one stage")
        # Undo knows nothing of what was only compared.
        self.key("Control+z")
        self.until(lambda: here.get_attribute("data-count") == "128", "as before")

    def test_a_strike_is_aimed_anew_by_dragging_its_target(self) -> None:
        """A leader that seeds limbs, all leaving marks; then its target is dragged on the stage."""
        page = self.page
        self.begin("One particle")
        self.click(page.get_by_role("button", name="To the start"))
        self.click(self.button("shape$"))
        self.choose("ball", "Ball")
        ball = page.locator('[data-item="shapes/ball"]')
        self.click(ball.get_by_role("button", name="(0, 0, 0)"))
        self.typed("2.5")
        self.key("Escape")
        source = page.locator('[data-item^="sources/"]')
        self.click(source.get_by_role("button", name="off the surface"))
        self.click(page.get_by_role("option", name="at a target"))
        self.click(self.button("^Speed", source))
        self.typed("4")
        self.key("Escape")
        self.click(self.button("group$"))
        # It is named at once.
        self.typed("limbs")
        for name, groups, said, action in (
            ("New rule", 1, "pull toward", "attraction"), ("New rule 2", 1, "split", "give birth"), ("New rule 3", 2, "trace", "leave marks"),
        ):  # fmt: skip
            self.key("r")
            rule = self.rule(name)
            self.click(rule.get_by_role("button", name="Everyone"))
            for place in range(groups):
                self.click(page.get_by_role("dialog").get_by_role("checkbox").nth(place))
            self.key("Escape")
            self.click(rule.get_by_role("button", name="+ action"))
            self.choose(said, action)
            if action == "give birth":
                # Where nothing says when, it is a stream and the parent stays.
                rule.get_by_role("button", name="keeping the parent").wait_for()
                self.click(rule.get_by_role("button", name="a second", exact=True))
                self.click(page.get_by_role("menuitem", name="a metre of its way"))
        self.until(lambda: "Marks" in self.rule("New rule 3").inner_text(), "marks of their own group")
        self.seek(40)
        self.until(lambda: self.population("Marks") > 100, "marks")
        before = self.document()
        # A leader, its limbs and what they leave have three colours.
        self.assertEqual(len({group["color"] for group in before["groups"]}), 3)
        self.click(ball.get_by_text("Ball", exact=True).first)
        page.keyboard.press("0")
        handle = page.get_by_role("button", name="Drag Ball", exact=True)
        box = handle.bounding_box()
        assert box
        self.made += 1
        page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
        page.mouse.down()
        for way in range(1, 6):
            page.mouse.move(box["x"] - 20 * way, box["y"] + 30 * way)
            page.wait_for_timeout(60)
        page.mouse.up()
        after = self.document()
        self.told("a strike aimed anew", 45)
        places = [np.array(next(shape for shape in each["shapes"] if shape["id"] == "ball")["position"]) for each in (before, after)]
        self.assertGreater(np.linalg.norm(places[1] - places[0]), 0.5)
        for rate in (24.0, 60.0):
            for document, place in zip((before, after), places, strict=True):
                clock = document["clock"] | {"frames_per_second": rate, "duration": 1.5}
                frames = run(document | {"clock": clock}, assets=demo.assets())
                leader = np.array([frame.columns["position"][frame.columns["generation"] == 0][0] for frame in frames])
                # Drawn straight to it, as it was aimed: it flies through its middle.
                self.assertLess(np.linalg.norm(leader - place, axis=1).min(), 4.0 * 1.7 / rate)
                way = (place - leader[0]) / np.linalg.norm(place - leader[0])
                last = frames[-1].columns
                marks = last["position"][(last["group"] == 2)] - leader[0]
                # What is left behind lies along the way to the target, wherever that is.
                self.assertGreater(float((marks @ way > 0.6 * np.linalg.norm(marks, axis=1)).mean()), 0.85)

    def test_a_limb_grows_otherwise_and_an_attribute_is_handed_on(self) -> None:
        """By the probe on the cracks that ship: one limb has other random numbers, all others keep their places."""
        page = self.page
        page.get_by_role("heading", name="Cracks across the lake ice", exact=True).click()
        self.wait_computed()
        self.seek(50)
        before = self.document()
        frame = run(before, 50, assets=demo.assets())[-1].columns
        # Whoever is met by a click on the stage; from there to whom it was born of.
        stage = page.get_by_test_id("stage").bounding_box()
        assert stage
        descent = page.get_by_role("region", name="Descent")
        for across, down in itertools.product(range(20, 60, 2), (45, 47, 43)):
            page.mouse.click(stage["x"] + stage["width"] * across / 100, stage["y"] + stage["height"] * down / 100)
            page.wait_for_timeout(400)
            # A grandchild: not everybody descends from its parent.
            if descent.count() and re.search("Generation [23]", descent.inner_text()):
                break
        parent = descent.get_by_role("button", name=re.compile(r"^\d")).first
        particle = int(re.sub(r"\D", "", parent.inner_text()))
        self.click(parent)
        self.until(lambda: f"Particle {particle}" in self.lens().replace("\u202f", ""), "its parent")
        self.until(lambda: descent.count() == 1 and "Its limb has" in descent.inner_text(), "what came of it")
        self.click(descent.get_by_role("button", name="its limb", exact=True))
        events = np.concatenate([each.events for each in run(before, 50, assets=demo.assets())])
        births = events[events["what"] == Happening.BIRTH]
        mine = {particle}
        for event in births:
            if int(event["parent"]) in mine:
                mine.add(int(event["particle"]))
        there = len(mine & set(frame["id"].tolist()))
        self.until(lambda: f"{there} chosen" in page.get_by_test_id("chosen").inner_text().replace("\u202f", ""), "the limb is rung")
        self.click(descent.get_by_role("button", name="grow otherwise"))
        self.click(descent.get_by_role("button", name="grow otherwise"))
        after = self.document()
        self.assertEqual(after["rules"][0]["actions"][0], {"id": "0", "kind": "redraw", "outcome": 2})
        now = run(after, 50, assets=demo.assets())[-1].columns
        # Found again by their random keys: whoever does not descend from it is where it was.
        others = ~np.isin(frame["id"], list(mine))
        where = dict(zip(now["key"].tolist(), now["position"].tolist(), strict=True))
        same = [where.get(key) == place for key, place in zip(frame["key"][others].tolist(), frame["position"][others].tolist(), strict=True)]
        self.assertTrue(all(same))
        self.assertGreater(len(same), 100)
        # What is handed on is said beside the birth: an attribute by its share.
        limb_rule = page.get_by_role("listitem", name="Seed twigs", exact=True)
        self.click(limb_rule.get_by_role("button", name="+ hand on to children"))
        self.click(page.get_by_role("option", name=re.compile("^of an attribute")))
        self.click(limb_rule.get_by_role("button", name="Share: 100 %"))
        self.typed("30")
        self.key("Escape")
        spawn = next(rule for rule in self.document()["rules"] if rule["label"] == "Seed twigs")["actions"][0]
        self.assertEqual([(hand["attribute"], hand["share"]) for hand in spawn["hands"]], [("mass", 30.0)])
        self.told("a limb grown otherwise", 12)

    def lens(self) -> str:
        return self.page.get_by_test_id("lens").inner_text()

    def dial(self) -> Locator:
        return self.page.locator('[data-item^="dials/"]')

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
