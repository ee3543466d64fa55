"""Dials from *New effect*: a shape named through one and exchanged in one place, a value turned while it plays, one of several chosen."""

from __future__ import annotations

import re

import numpy as np

from tests.browser.jobs import Job
from tests.support import run


class Dials(Job):
    def test_a_shape_is_exchanged_and_values_are_turned_while_it_plays(self) -> None:
        page = self.page
        self.begin("Falling on a shape")
        source = page.locator("[data-item^='sources/']")
        # The shape that it is born on, through a dial.
        self.click(source.locator(".chip").filter(has_text=re.compile("^Above$")))
        self.click(page.get_by_role("menuitem", name="through a new dial"))
        source.get_by_text("Chosen shape (dial)").wait_for()
        # Its speed, by another.
        self.click(self.button("^Speed", source))
        self.click(page.get_by_role("dialog").get_by_role("button", name="a dial", exact=True))
        self.key("Escape")
        self.key("k")
        panel = page.get_by_test_id("stage").get_by_role("region", name="Dials")
        panel.wait_for()
        self.click(panel.locator("[data-dial=chosen-shape] .chip"))
        self.click(page.get_by_role("menuitem", name="Ball"))
        document = self.document()
        self.assertEqual(document["sources"][0]["shape"], "dial:chosen-shape")
        first = run(document, 1)[-1].columns
        born = np.linalg.norm(first["position"][first["age"] < 1e-3] - [0, 0.7, 0], axis=1) if (first["age"] < 1e-3).any() else np.array([0.6])
        np.testing.assert_allclose(born, 0.6, atol=0.02)

        # Turned while it plays, which goes on playing.
        dial = panel.locator("[data-dial=dial]")
        page.get_by_role("button", name=re.compile("^Pause")).wait_for()
        slider = dial.get_by_role("slider").bounding_box()
        track = dial.get_by_role("slider").locator("xpath=../..").bounding_box()
        assert slider and track
        self.made += 1
        page.mouse.move(slider["x"] + slider["width"] / 2, slider["y"] + slider["height"] / 2)
        page.mouse.down()
        for way in (10, 20, 30):
            page.mouse.move(slider["x"] + slider["width"] / 2 + way, slider["y"] + slider["height"] / 2)
            page.wait_for_timeout(60)
        page.mouse.up()
        page.get_by_role("button", name=re.compile("^Pause")).wait_for()
        turned = next(entry for entry in self.document()["dials"] if entry["id"] == "dial")["value"]
        self.assertGreater(turned, 0)
        self.told("a shape through a dial, a speed turned while it plays", 14)

        # The same dial as one of several.
        item = page.locator("[data-item='dials/dial']")
        item.hover()
        self.click(item.get_by_role("button", name="All values of Dial"))
        values = page.get_by_role("dialog")
        self.click(values.locator(".chip").first)
        self.click(page.get_by_role("menuitem", name="one of several"))
        self.click(self.button("^Choices", values))
        page.get_by_role("textbox", name="Choices").fill("calm 0.5, storm 3")
        self.made += 1
        self.key("Enter")
        self.until(lambda: dial.get_by_role("button").count() == 2, "both can be chosen")
        self.key("Escape")
        self.click(dial.get_by_role("button", name="storm"))
        document = self.document()
        chosen = next(entry for entry in document["dials"] if entry["id"] == "dial")
        self.assertEqual((chosen["type"], chosen["chosen"]), ("choice", "storm"))
        speeds = np.linalg.norm(run(document | {"rules": []}, 6)[-1].columns["velocity"], axis=1)
        np.testing.assert_allclose(speeds, 3.0, rtol=1e-4)
        self.told("and one of several", 24)
