"""The table of a frame: found there, seen on the stage, and back; sorted, filtered, compared, taken away."""

from __future__ import annotations

import csv
import re
import tempfile
from pathlib import Path
from typing import Any

import numpy as np
from playwright.sync_api import Locator

from hailridge import demo
from tests.browser.jobs import Job
from tests.support import document, rule, run


class Tables(Job):
    def opened(self) -> Locator:
        """The table of the hail at frame 66, opened by its key."""
        page = self.page
        self.open_named("Hail on the tin roof")
        self.seek(66)
        page.evaluate("document.activeElement.blur()")
        self.made = 0
        self.key("i")
        table = page.get_by_role("region", name="Table")
        table.locator("[data-row='0']").wait_for()
        return table

    def cells(self, table: Locator, row: int) -> list[str]:
        return table.locator(f"[data-row='{row}']").get_by_role("gridcell").all_inner_texts()

    def value(self, table: Locator, row: int, column: int) -> float:
        """A number of a row; none while that is being read."""
        cells = self.cells(table, row)
        return float(cells[column].replace("−", "-")) if len(cells) > column else float("nan")

    def only(self, table: Locator, text: str) -> None:
        box = table.get_by_role("textbox", name="Only those for whom").or_(table.get_by_role("combobox", name="Only those for whom"))
        self.click(box)
        self.typed(text)

    def test_one_particle_is_found_and_its_change_explained(self) -> None:
        """Which hailstone melts most? Its group, its story and the rule that acts are read beside the stage."""
        page, table = self.page, self.opened()
        columns = run(demo.document("hail-on-the-tin-roof"), 66, demo.assets())[-1].columns
        self.only(table, "time_in_group() > 0.5 and radius > 0.02")
        self.until(lambda: "frame 66" in table.get_by_role("status").inner_text() and " of " in table.get_by_role("status").inner_text(), "counted")
        self.click(table.get_by_role("button", name="Sort by radius"))
        self.click(table.get_by_role("button", name="Sort by radius"))
        self.until(lambda: self.value(table, 0, 4) >= self.value(table, 3, 4) > 0.02, "the largest first")
        self.click(table.locator("[data-row='0']"))
        probe = page.get_by_role("tabpanel")
        identifier = int(self.cells(table, 0)[0])
        page.get_by_role("button", name="Open: Probe").or_(page.get_by_role("tab", name="Probe")).first.click()
        probe.get_by_text(f"Particle {identifier}").first.wait_for()
        self.told("one particle found in the table", 6)
        # The numbers are the frame's own.
        place = int(np.flatnonzero(columns["id"] == identifier)[0])
        self.assertAlmostEqual(self.value(table, 0, 4), float(columns["radius"][place]), places=4)
        self.assertAlmostEqual(self.value(table, 0, 2), float(columns["age"][place]), places=3)
        # What happens to it is told, rule by rule.
        self.until(lambda: re.search("Stones melt|Settle", probe.inner_text()), "which rules hold for it")
        # Alone, and followed through time.
        self.click(table.get_by_role("button", name="Only the picked"))
        self.until(lambda: table.locator("[data-row]").count() == 1, "nobody else")
        before = self.cells(table, 0)
        self.seek(80)
        self.until(lambda: "frame 80" in table.get_by_role("status").inner_text() and self.value(table, 0, 2) > float(before[2]), "older")
        self.assertEqual(self.cells(table, 0)[0], before[0])

    def test_two_are_compared_a_typo_is_told_and_the_table_taken_away(self) -> None:
        page, table = self.page, self.opened()
        self.click(table.locator("[data-row='0']"))
        self.made += 1
        table.locator("[data-row='2']").click(modifiers=["Control"])
        self.click(table.get_by_role("button", name="Side by side"))
        self.until(lambda: "between them" in table.inner_text(), "beside each other")
        self.assertIn("particle 1", table.inner_text())
        self.click(table.get_by_role("button", name="Side by side"))
        # A column by a formula, and one that is misspelt.
        add = table.get_by_role("textbox", name="Add a column").or_(table.get_by_role("combobox", name="Add a column"))
        for text in ("2 * raduis", "height()"):
            self.click(add)
            self.typed(text)
        wrong = table.get_by_role("button", name="Sort by 2 * raduis")
        self.until(lambda: "did you mean 'radius'" in (wrong.get_attribute("title") or ""), "told at its head")
        self.click(table.get_by_role("button", name="Remove the column 2 * raduis"))
        self.only(table, "height() > 3")
        self.until(lambda: not re.match(r"8887 of", table.get_by_role("status").inner_text()), "fewer")
        self.until(lambda: self.value(table, 0, 6) > 3, "all of them high up")
        number = int(re.match(r"([\d\u202f]+) of", table.get_by_role("status").inner_text()).group(1).replace("\u202f", ""))  # type: ignore[union-attr]
        with page.expect_download() as coming:
            self.click(table.get_by_role("button", name="Take away"))
            self.click(page.get_by_role("menuitem", name="Save as CSV"))
        with tempfile.TemporaryDirectory() as folder:
            file = Path(folder) / coming.value.suggested_filename
            coming.value.save_as(file)
            rows: list[dict[str, Any]] = list(csv.DictReader(file.open(newline="", encoding="utf-8")))
        self.assertEqual(len(rows), number)
        self.assertTrue(all(float(row["height()"]) > 3 and float(row["position.y"]) == float(row["height()"]) for row in rows))
        self.assertEqual(self.violations(page), [])

    def test_some_are_remembered_and_followed(self) -> None:
        """From *New effect*: who is high up at frame 30? Remembered, followed to frame 60, and every number is the frame's own."""
        page = self.page
        self.begin("Fountain")
        self.seek(30)
        page.evaluate("document.activeElement.blur()")
        frames = run(self.document(), 60)
        self.made = 0
        self.key("i")
        table = page.get_by_role("region", name="Table")
        table.locator("[data-row='0']").wait_for()
        self.only(table, "height() > 1.5")
        high = frames[30].columns["id"][frames[30].columns["position"][:, 1] > 1.5]
        self.until(lambda: table.get_by_role("status").inner_text().startswith(f"{len(high)} of"), "those high up")
        for entry in ("Choose all that are shown", f"Remember these {len(high)}"):
            self.click(table.get_by_role("button", name="Selections"))
            self.click(page.get_by_role("menuitem", name=entry))
        self.click(table.get_by_label("Only those for whom"))
        for key in ("Control+A", "Delete", "Enter"):
            page.keyboard.press(key)
        page.evaluate("document.activeElement.blur()")
        self.seek(60)
        self.made += 1
        self.click(table.get_by_role("button", name="Selections"))
        self.click(page.get_by_role("menuitem", name=f"height() > 1.5, frame 30 {len(high)}"))
        still = np.intersect1d(high, frames[60].columns["id"])
        self.until(lambda: table.get_by_role("status").inner_text().startswith(f"{len(still)} of"), "those of them who are still there")
        first = frames[60].columns["id"].tolist().index(int(self.cells(table, 0)[0]))
        self.assertAlmostEqual(self.value(table, 0, 2), float(frames[60].columns["age"][first]), 2)
        self.told("some remembered and followed", 14)

    def test_hundred_thousand_rows_scroll_without_a_gap(self) -> None:
        self.open_made(document(rule({"kind": "gravity"}), count=100_000, speed={"kind": "spread", "value": 2.0, "spread": 1.0}, clock={"duration": 0.2}))
        page = self.page
        self.wait_computed()
        page.evaluate("document.activeElement.blur()")
        page.keyboard.press("i")
        table = page.get_by_role("region", name="Table")
        table.locator("[data-row='0']").wait_for()
        grid = table.get_by_role("grid")
        box = grid.bounding_box()
        assert box
        page.mouse.move(box["x"] + 200, box["y"] + 100)
        for _turn in range(12):
            page.mouse.wheel(0, 1500)
            page.wait_for_timeout(60)
        blank = """grid => {
            const [top, bottom] = [grid.scrollTop, grid.scrollTop + grid.clientHeight - 30];
            const seen = [...grid.querySelectorAll('[data-row]')].map(row => row.offsetTop);
            for (let at = top + 30; at < bottom - 48; at += 24) if (!seen.some(y => Math.abs(y - at) < 24)) return at;
            return null;
        }"""
        self.assertIsNone(grid.evaluate(blank))
        page.evaluate("document.querySelector('[role=grid]').scrollTop = 0")
        table.get_by_role("button", name="Sort by speed").click()
        self.until(lambda: self.value(table, 0, 3) <= self.value(table, 5, 3) < 1.2, "the slowest first")


class Beside(Job):
    def test_values_beside_particles_and_velocities_as_arrows(self) -> None:
        page = self.page
        self.open_named("Lantern mobile")
        self.seek(100)
        page.evaluate("document.activeElement.blur()")
        page.keyboard.press("n")
        labels = page.locator("[data-beside]")
        self.until(lambda: labels.count() == 12, "each has its number")
        self.assertEqual(sorted(int(text) for text in labels.all_text_contents()), list(range(12)))
        box = page.get_by_label("Value beside each particle")
        box.click()
        box.fill("radius * 100")
        page.keyboard.press("Enter")
        self.until(lambda: set(labels.all_text_contents()) == {"13", "10", "7"}, "a formula")
        box.fill("position - origin_of(\"Mobile\")")
        page.keyboard.press("Enter")
        self.until(lambda: labels.count() == 0, "arrows in their place")
        page.wait_for_timeout(500)
        box.fill("raduis")
        page.keyboard.press("Enter")
        page.get_by_role("alert").get_by_text("did you mean 'radius'").wait_for()
