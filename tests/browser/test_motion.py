"""Handles, keyframes and live tuning, driven in headless Chromium against the real server."""

from __future__ import annotations

import json
import re
import unittest
import urllib.request
from typing import Any

from tests.browser.cases import BrowserCase
from tests.core.test_curves import keys
from tests.core.test_shapes import shape
from tests.support import document, rule


def sparks() -> dict[str, Any]:
    """A source on a ball that moves along a path."""
    raw = document(
        rule({"kind": "gravity", "acceleration": 2.0}, {"kind": "drag"}, id="air", label="Air"),
        shapes=[
            {**shape("path", points=[[-2.0, 0.5, 0.0], [0.0, 1.5, 0.0], [2.0, 0.5, 0.0]]), "label": "Route"},
            {
                **shape("ball", radius=0.2, path="path", travel=keys((0, 0.0), (1.5, 100.0))),
                "label": "Nozzle",
            },
            {**shape("box", position=[0.0, 0.25, 1.0], size=[0.5, 0.5, 0.5]), "label": "Crate"},
        ],
        source={
            "shape": "ball",
            "emission": {"kind": "rate", "rate": 400.0},
            "direction": {"kind": "normal"},
            "speed": 0.5,
            "lifetime": 1.5,
        },
        groups=["sparks"],
    )
    raw["shapes"][0]["visible"] = False
    return raw | {"name": "Sparks on a route"}


class Motion(BrowserCase):
    def setUp(self) -> None:
        super().setUp()
        request = urllib.request.Request(
            f"{self.server.url}/api/effects",
            json.dumps({"document": sparks()}).encode(),
            {"Content-Type": "application/json"},
        )
        self.effect = json.load(urllib.request.urlopen(request))["id"]
        self.page.goto(f"{self.server.url}/effects/{self.effect}")
        self.wait_computed()

    def shape(self, index: int) -> dict[str, Any]:
        found: dict[str, Any] = self.document()["shapes"][index]
        return found

    def drag(self, name: str, by: tuple[float, float]) -> None:
        box = self.page.get_by_role("button", name=name, exact=True).bounding_box()
        assert box
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        self.page.mouse.move(x, y)
        self.page.mouse.down()
        self.page.mouse.move(x + by[0] / 2, y + by[1] / 2, steps=3)
        self.page.mouse.move(x + by[0], y + by[1], steps=3)
        self.page.mouse.up()

    def select(self, name: str) -> None:
        self.page.get_by_role("listitem", name=name, exact=True).click(position={"x": 50, "y": 10})

    def test_a_point_of_a_path_is_dragged_and_everything_follows(self) -> None:
        page = self.page
        self.seek(18)
        before = self.shape(1)["points"][1]
        trial = page.get_by_test_id("stage").get_attribute("data-trial")
        self.select("Route")
        self.drag("Point 2 of Route", (0, -60))
        self.until(lambda: page.get_by_test_id("stage").get_attribute("data-trial") != trial, "a new picture")
        after = self.shape(1)["points"][1]
        self.assertGreater(after[1], before[1] + 0.2)
        # Points can be added between two, removed, and undone.
        page.get_by_role("button", name="Add a point after point 1").click()
        self.assertEqual(len(self.shape(1)["points"]), 4)
        page.get_by_role("button", name="Point 2 of Route").focus()
        page.keyboard.press("Delete")
        self.assertEqual(len(self.shape(1)["points"]), 3)
        page.keyboard.press("Control+z")
        page.keyboard.press("Control+z")
        page.keyboard.press("Control+z")
        self.assertEqual(self.shape(1)["points"][1], before)

    def test_a_shape_is_moved_by_handle_and_by_keyboard(self) -> None:
        self.select("Crate")
        self.drag("Drag Crate", (80, 0))
        moved = self.shape(3)["position"]
        self.assertGreater(moved[0], 0.1)
        handle = self.page.get_by_role("button", name="Drag Crate", exact=True)
        handle.focus()
        self.page.keyboard.press("Shift+ArrowUp")
        self.assertGreater(self.shape(3)["position"][1], moved[1] + 0.01)
        self.page.keyboard.press("Escape")
        handle.wait_for(state="detached")

    def test_keyframes_are_made_moved_eased_and_removed(self) -> None:
        page = self.page
        # A number gets keyframes where the playhead is; a second one by giving it another value later.
        self.seek(12)
        air = page.get_by_role("listitem", name="Air", exact=True)
        air.get_by_role("button", name=re.compile("^Acceleration")).click()
        page.get_by_role("button", name="+ keyframes").click()
        page.get_by_text("key 1 of 1").wait_for()
        page.keyboard.press("Escape")
        self.seek(36)
        air.get_by_role("button", name=re.compile("^Acceleration")).click()
        value = page.get_by_role("dialog", name="Acceleration").get_by_role("textbox", name="Value")
        value.fill("8")
        value.press("Enter")
        # Kept and closed.
        value.wait_for(state="detached")
        air.get_by_role("button", name=re.compile("^Acceleration")).click()
        page.get_by_text("key 2 of 2").wait_for()
        page.keyboard.press("Escape")
        made = self.document()["rules"][0]["actions"][0]["acceleration"]["value"]["keys"]
        self.assertEqual([(key["at"], key["value"]) for key in made], [(0.5, 2.0), (1.5, 8.0)])
        self.assertIn("2 … 8 m/s² over time", air.inner_text())
        # Its curve lies under the clock; the keyframes panel opened with it.
        panel = page.get_by_role("region", name="Keyframes")
        # The one at the playhead is picked, and nothing follows the last: the first is the one to be held.
        self.assertEqual(panel.get_by_role("button", name="held").count(), 0)
        panel.get_by_role("slider", name="Key 1").click()
        panel.get_by_role("button", name="held").click()
        self.until(
            lambda: (
                self.document()["rules"][0]["actions"][0]["acceleration"]["value"]["keys"][0]["ease"]
                == "hold"
            ),
            "the first key holds",
        )
        key = panel.get_by_role("slider", name="Key 2")
        box = key.bounding_box()
        assert box
        page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
        page.mouse.down()
        page.mouse.move(box["x"] - 40, box["y"] + 30, steps=5)
        page.mouse.up()
        last = self.document()["rules"][0]["actions"][0]["acceleration"]["value"]["keys"][1]
        self.assertLess(last["at"], 1.5)
        self.assertLess(last["value"], 8.0)
        key.focus()
        page.keyboard.press("Delete")
        self.assertEqual(len(self.document()["rules"][0]["actions"][0]["acceleration"]["value"]["keys"]), 1)

    def test_the_picture_follows_while_a_key_is_dragged(self) -> None:
        page = self.page
        self.seek(24)
        self.select("Nozzle")
        stage = page.get_by_test_id("stage")
        seen = {stage.get_attribute("data-trial")}
        pin = page.get_by_role("region", name="Keyframes").get_by_role("button", name="Key 2 at 1.50 s")
        box = pin.bounding_box()
        assert box
        page.mouse.move(box["x"] + 3, box["y"] + 5)
        page.mouse.down()
        for step in range(1, 5):
            page.mouse.move(box["x"] - 24 * step, box["y"] + 5)
            # Nothing is saved before the mouse is let go, but the picture follows, however busy the machine is.
            self.until(lambda: stage.get_attribute("data-trial") not in seen, f"another picture at step {step}")
            seen.add(stage.get_attribute("data-trial"))
        page.mouse.up()
        self.assertLess(self.shape(2)["travel"]["keys"][1]["at"], 1.4)

    def test_onward_is_provisional_and_replaced_by_the_exact_result(self) -> None:
        page = self.page
        self.seek(24)
        page.get_by_role("button", name="exact", exact=True).click()
        air = page.get_by_role("listitem", name="Air", exact=True)
        air.get_by_role("button", name=re.compile("^Acceleration")).click()
        asked: list[Any] = []
        page.on(
            "request",
            lambda request: asked.append(request.post_data_json) if request.url.endswith("/trials") else None,
        )
        thumb = page.get_by_role("slider", name="Value")
        box = thumb.bounding_box()
        assert box
        page.mouse.move(box["x"] + 7, box["y"] + 7)
        page.mouse.down()
        page.mouse.move(box["x"] + 60, box["y"] + 7, steps=4)
        self.until(lambda: any(body.get("onward") for body in asked), "going on from the frame on screen")
        page.mouse.up()
        self.until(lambda: asked[-1].get("onward") is None, "the exact result is asked for")
        self.wait_computed()

    def test_a_curve_over_life_is_drawn(self) -> None:
        page = self.page
        source = page.get_by_role("listitem", name="Source", exact=True)
        source.get_by_role("button", name=re.compile("^Radius")).click()
        page.get_by_role("button", name="a curve", exact=True).click()
        self.until(lambda: self.document()["sources"][0]["radius"]["kind"] == "curve", "a curve")
        page.get_by_role("button", name="eased", exact=True).click()
        page.keyboard.press("Escape")
        # The advisory says that it is read only at birth, and makes a rule of it.
        self.lens("Advisories")
        page.get_by_role("button", name="Make it a rule").click()
        page.get_by_role("listitem", name="Radius over life", exact=True).wait_for()
        self.assertEqual(
            self.document()["rules"][0]["actions"][0]["amount"]["curve"]["keys"][0]["ease"][0], 0.42
        )

    def test_coming_back_shows_the_shapes_again(self) -> None:
        page = self.page
        page.get_by_role("link", name="Back to the library").click()
        page.get_by_role("heading", name="Sparks on a route").first.click()
        self.wait_computed()
        self.seek(12)
        self.select("Crate")
        # Handles stand where the shapes are: they are there only if the shapes are.
        page.get_by_role("button", name="Drag Crate").wait_for()

    def test_keyframes_and_handles_are_accessible(self) -> None:
        page = self.page
        self.select("Nozzle")
        page.get_by_role("button", name="Nozzle · travel").click()
        page.get_by_role("region", name="Keyframes").get_by_role("slider", name="Key 1").wait_for()
        self.assertEqual(self.violations(page), [])
        self.select("Route")
        page.get_by_role("button", name="Point 1 of Route").wait_for()
        self.assertEqual(self.violations(page), [])
        # Nothing is wider than the window, and the score not wider than its place.
        self.assertLessEqual(page.evaluate("document.documentElement.scrollWidth"), 1280)
        # The handles' modes have keys of their own.
        for key, word in (("t", "Turn"), ("s", "Scale"), ("m", "Move")):
            page.keyboard.press(key)
            self.assertEqual(
                page.get_by_role("button", name=word, exact=True).get_attribute("aria-pressed"), "true"
            )

    def test_a_shape_becomes_another_kind_and_stays_what_it_is(self) -> None:
        page = self.page
        crate = page.get_by_role("listitem", name="Crate", exact=True)
        crate.get_by_role("button", name="box", exact=True).click()
        page.get_by_role("option", name="Ring").click()
        self.until(lambda: self.shape(3)["kind"] == "ring", "another kind")
        ring = self.shape(3)
        self.assertEqual(
            (ring["kind"], ring["id"], ring["label"], ring["position"]),
            ("ring", "box", "Crate", [0.0, 0.25, 1.0]),
        )
        self.wait_computed()

    def test_the_first_dial_takes_over_the_value(self) -> None:
        page = self.page
        air = page.get_by_role("listitem", name="Air", exact=True)
        air.get_by_role("button", name=re.compile("^Acceleration")).click()
        page.get_by_role("button", name="a dial", exact=True).click()
        self.until(lambda: self.document()["dials"], "a dial")
        whole = self.document()
        dial = whole["dials"][0]
        self.assertEqual((dial["value"], dial["unit"], dial["type"]), (2.0, "m/s2", "number"))
        self.assertEqual(
            whole["rules"][0]["actions"][0]["acceleration"],
            {"kind": "dial", "dial": dial["id"], "factor": 1.0},
        )
        page.keyboard.press("Escape")
        self.wait_computed()
        # One step of undo takes both back.
        page.keyboard.press("Control+z")
        self.until(lambda: not self.document()["dials"], "no dial")

    def test_a_range_is_played_round(self) -> None:
        page = self.page
        page.get_by_role("button", name="Range to play").click()
        page.get_by_label("From frame").fill("10")
        page.get_by_label("From frame").press("Enter")
        page.get_by_label("To frame").fill("0.75s")
        page.get_by_label("To frame").press("Enter")
        page.keyboard.press("Escape")
        page.get_by_role("button", name="Play", exact=True).click()
        frames = set()
        for _ in range(30):
            frames.add(int(page.get_by_test_id("frame").input_value()))
            page.wait_for_timeout(60)
        page.get_by_role("button", name="Pause", exact=True).click()
        self.assertTrue(frames and min(frames - {0}) >= 10 and max(frames) <= 18, frames)

    def test_a_swapped_shape_keeps_everything_working(self) -> None:
        page = self.page
        source = page.get_by_role("listitem", name="Source", exact=True)
        source.get_by_role("button", name="Nozzle", exact=True).click()
        page.get_by_role("menuitem", name="Crate").click()
        self.wait_computed()
        self.assertEqual(self.document()["sources"][0]["shape"], "box")
        self.seek(24)
        self.assertGreater(int(page.get_by_test_id("stage").get_attribute("data-count") or 0), 100)


if __name__ == "__main__":
    unittest.main()
