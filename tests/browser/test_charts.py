"""Charts of anything, and where the time goes, from *New effect*: drawn, read, picked from, taken away."""

from __future__ import annotations

import csv
import re
import xml.etree.ElementTree as ET
from pathlib import Path
from typing import Any

import numpy as np
from playwright.sync_api import Locator

from tests.browser.jobs import Job
from tests.support import run


class Charts(Job):
    def lens(self) -> Locator:
        return self.page.get_by_test_id("lens")

    def add(self, kind: str) -> Locator:
        self.click(self.lens().get_by_role("button", name="+ chart"))
        self.click(self.page.locator("[role=menuitem]").filter(has_text=re.compile(f"^{kind}")))
        return self.lens().locator("[data-chart]").first

    def say(self, chart: Locator, label: str, text: str) -> None:
        self.click(chart.get_by_label(label, exact=True))
        self.page.keyboard.press("Control+A")
        self.typed(text)

    def taken(self, chart: Locator, what: str) -> Path:
        self.click(chart.get_by_role("button", name="Take away"))
        with self.page.expect_download() as waited:
            self.click(self.page.get_by_role("menuitem", name=what))
        return Path(waited.value.path())

    def rows(self, path: Path) -> list[list[str]]:
        return list(csv.reader(path.read_text(encoding="utf-8").splitlines()))

    def test_four_kinds_of_charts_are_the_frames_own(self) -> None:
        """How fast do they fall, how does that go with age, over time, and for the one I pick?"""
        page = self.page
        self.begin("Fountain")
        self.seek(40)
        page.evaluate("document.activeElement.blur()")
        frames: list[Any] = run(self.document(), 60)
        self.made = 0
        self.key("c")
        self.click(self.lens().get_by_role("button", name="Values", exact=True))
        speed = np.linalg.norm(frames[40].columns["velocity"].astype(np.float64), axis=1)

        spread = self.lens().locator("[data-chart=spread]")
        spread.get_by_role("img").wait_for()
        counted = self.rows(self.taken(spread, "Save as CSV"))
        edges = [float(counted[1][0]), *(float(row[1]) for row in counted[1:])]
        np.testing.assert_array_equal([int(row[2]) for row in counted[1:]], np.histogram(speed, edges)[0])
        self.click(spread.get_by_role("button", name="Powers of ten, across"))
        self.until(lambda: "powers" in (spread.get_by_role("img").get_attribute("aria-label") or ""), "drawn by powers")

        cloud = self.add("One against another")
        self.say(cloud, "What is drawn", "height()")
        self.until(lambda: "height" in (cloud.get_by_role("img").get_attribute("aria-label") or ""), "drawn against the height")
        points = self.rows(self.taken(cloud, "Save as CSV"))
        self.assertEqual(points[0], ["id", "group", "height()", "speed"])
        heights = frames[40].columns["position"][:, 1]
        np.testing.assert_allclose([float(row[2]) for row in points[1:]], heights, rtol=1e-5, atol=1e-6)
        dot = cloud.locator("circle").nth(7).bounding_box()
        assert dot
        self.made += 1
        page.mouse.click(dot["x"] + dot["width"] / 2, dot["y"] + dot["height"] / 2)
        cloud.get_by_text(re.compile("^particle ")).wait_for()
        picked = int(re.findall(r"particle (\d+)", cloud.inner_text().replace("\u202f", ""))[0])

        over = self.add("Over time")
        over.get_by_role("img").wait_for()
        means = {int(row[0]): float(row[2]) for row in self.rows(self.taken(over, "Save as CSV"))[1:] if row[2]}
        for number in (frame for frame in means if 0 < frame <= 60):
            expected = np.linalg.norm(frames[number].columns["velocity"].astype(np.float64), axis=1).mean()
            self.assertAlmostEqual(means[number], expected, 4)
        drawing = ET.fromstring(self.taken(over, "Save as SVG").read_text(encoding="utf-8"))
        self.assertEqual(drawing.tag, "{http://www.w3.org/2000/svg}svg")
        self.assertNotIn("var(", ET.tostring(drawing, encoding="unicode"))
        self.assertEqual(self.taken(over, "Save as PNG").read_bytes()[:8], b"\x89PNG\r\n\x1a\n")

        one = self.add("Of the picked particle")
        one.get_by_role("img").wait_for()
        told = {int(row[0]): row[1] for row in self.rows(self.taken(one, "Save as CSV"))[1:]}
        for number in (frame for frame in told if frame <= 60):
            columns = frames[number].columns
            mine = np.flatnonzero(columns["id"] == picked)
            if len(mine):
                self.assertAlmostEqual(float(told[number]), float(np.linalg.norm(columns["velocity"][mine[0]].astype(np.float64))), 4)
            else:
                self.assertEqual(told[number], "")
        self.told("four charts, five of them taken away", 30)

        # What is wrong is said at the line, and the chart stays for the next try.
        self.say(one, "What is drawn", "spead")
        one.get_by_role("alert").wait_for()
        self.assertIn("speed", one.get_by_role("alert").inner_text())
        page.reload()
        self.wait_computed()
        page.keyboard.press("c")
        self.lens().get_by_role("button", name="Values", exact=True).click()
        self.until(lambda: self.lens().locator("[data-chart]").count() == 4, "the charts are remembered")

    def test_where_the_time_goes_is_told_beside_the_items(self) -> None:
        """A rule that asks its neighbours is found to be what takes the time, in three gestures."""
        page = self.page
        self.open_named("Rime in the gaps")
        self.wait_computed()
        page.evaluate("document.activeElement.blur()")
        self.made = 0
        self.key("u")
        mark = page.locator("[data-item='neighbourhoods/close'] [data-cost]")
        mark.wait_for()
        share = float(mark.get_attribute("data-cost") or 0)
        self.assertGreater(share, 0.1)
        self.assertLess(share, 0.8)
        self.click(mark)
        lines = self.lens().get_by_role("list", name="What takes how much of a step").get_by_role("listitem")
        lines.first.wait_for()
        shares = [int(text.replace("< 1", "0")) for text in re.findall(r"(< 1|\d+) %", "\n".join(lines.all_inner_texts()))]
        self.assertEqual(shares, sorted(shares, reverse=True))
        self.assertAlmostEqual(sum(shares), 100, delta=6)
        self.click(lines.get_by_role("button").first)
        self.until(lambda: page.locator("[data-item].bg-raised\\/60, [data-item][class*='bg-raised/60']").count() > 0, "turned to the item")
        self.told("what takes the time", 3)
