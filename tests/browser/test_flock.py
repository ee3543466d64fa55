"""A flock from *New effect*: it flies with what it begins with; a goal below the others is starved, says so, and is mended by its button."""

from __future__ import annotations

import re

import numpy as np

from tests.browser.jobs import Job


class AFlock(Job):
    def test_a_starved_goal_is_read_and_mended_and_the_flock_follows_it(self) -> None:
        page = self.page
        self.begin("Filling a shape")
        self.click(page.get_by_role("button", name="To the start"))
        self.click(self.button("^Add shape"))
        self.choose("ball", "Ball")
        self.key("r")
        mine = self.rule("New rule")
        self.click(mine.get_by_role("button", name="+ action"))
        self.choose("flock", "steer")
        # Whom they look at comes with it, and they fly.
        self.rule("Flockmates").wait_for()
        urges = mine.locator("[data-urge]")
        self.until(lambda: urges.count() == 4, "what a flock begins with")
        shares = mine.locator("[data-share]")
        self.until(lambda: shares.count() == 4, "the share of each")
        self.click(mine.get_by_role("button", name="+ urge"))
        self.choose("goal toward", "seek")
        self.until(lambda: urges.count() == 5, "a goal below them")
        goal = mine.locator("[data-urge=seek]")
        self.click(self.button("^Distance", mine.locator("[data-urge=keep_apart]")))
        self.typed("8")
        self.key("Escape")
        self.seek(6)
        told = goal.get_by_text(re.compile(r"seek gets \d+ % of the force and wants \d+ %"))
        told.wait_for()
        self.assertLess(float(goal.locator("[data-share]").get_attribute("data-share") or 1), 0.4)
        self.click(goal.get_by_role("button", name="Move it to the top"))
        self.until(lambda: urges.first.get_attribute("data-urge") == "seek", "at the top")
        self.until(lambda: told.count() == 0, "no longer starved")
        self.until(
            lambda: float(goal.locator("[data-share]").get_attribute("data-share") or 0) > 0.5,
            "most of the force",
        )
        # The goal is dragged on the stage; the record shows that they follow it.
        self.click(self.rule("Ball").get_by_text("Ball", exact=True).first)
        handle = page.get_by_role("button", name="Drag Ball", exact=True)
        box = handle.bounding_box()
        assert box
        self.made += 1
        page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
        page.mouse.down()
        for way in range(1, 6):
            page.mouse.move(box["x"] + 60 * way, box["y"] + box["height"] / 2)
            page.wait_for_timeout(60)
        page.mouse.up()
        document = self.document()
        place = np.array(next(shape for shape in document["shapes"] if shape["label"] == "Ball")["position"])
        away = np.linalg.norm(place - [0, 1, 0])
        self.assertGreater(away, 1.0)
        self.told("a starved goal", 30)
        steering = document["rules"][-1]["actions"][0]
        self.assertEqual(steering["urges"][0]["kind"], "seek")
        for rate, frames in self.at_rates(document):
            middle = np.array([frame.columns["position"].mean(axis=0) for frame in frames])
            # They begin in the middle and end around it, in the time that the effect has.
            self.assertLess(np.linalg.norm(middle[0] - [0, 1, 0]), 0.4)
            nearest = np.linalg.norm(middle - place, axis=1).min()
            self.assertLess(nearest, 0.3 * away, (rate, place, middle[-1]))
