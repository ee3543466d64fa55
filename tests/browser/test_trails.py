"""Trails from *New effect*: longer the faster, laid only while it is fast, begun anew at each bounce; what was made is then run and measured."""

from __future__ import annotations

import unittest

import numpy as np

from hailridge import demo
from hailridge.core.looking.observe import layers
from hailridge.model.validation import read_effect
from tests.browser.jobs import Job
from tests.support import moment_of

FACTOR, LEAST = 0.1, 2.0


class Trails(Job):
    def test_longer_the_faster_only_while_fast_and_anew_at_a_bounce(self) -> None:
        page = self.page
        self.begin("Fountain")
        self.key("Home")
        self.seek(60)
        self.click(self.button("^Add look"))
        self.choose("tails", "trails")
        look = page.locator("[data-item^='looks/']").last
        self.until(lambda: "trailing" in look.inner_text(), "a look of trails")
        # A time, as long as the speed says.
        self.click(look.get_by_role("button", name="points", exact=True))
        self.click(page.get_by_role("option", name="a time", exact=True))
        self.until(lambda: "the last" in look.inner_text(), "a time instead")
        self.click(self.button("^Time", look))
        self.click(page.get_by_role("button", name="a quantity as it is"))
        self.click(page.get_by_role("dialog").locator("input.tabular").first)
        self.typed(str(FACTOR))
        self.key("Escape")
        # Only while it is fast: with a count and a distribution, as any condition.
        self.click(look.get_by_role("button", name="+ laid only while…"))
        self.choose("speed", "compare a quantity")
        self.click(self.button("^Threshold", look))
        page.get_by_role("slider", name="Threshold on the distribution").wait_for()
        self.typed(str(LEAST))
        self.key("Escape")
        # A new one at each bounce.
        self.key("r")
        mine = self.rule("New rule")
        self.click(mine.get_by_role("button", name="at each step"))
        self.click(page.get_by_role("menuitem", name="on contact"))
        self.click(mine.get_by_role("button", name="+ action"))
        self.choose("trail", "begin a new trail")
        self.until(lambda: "begin a new trail" in mine.inner_text(), "an action")
        document = self.document()
        self.told("trails by speed, with gaps, anew at a bounce", 25)
        counted = look.get_by_title("by itself")
        for rate in (24.0, 48.0):
            timed = document | {"clock": document["clock"] | {"frames_per_second": rate}}
            moment = moment_of(read_effect(timed), round(rate * 2.5), assets=demo.assets())
            speeds = np.linalg.norm(moment.column("velocity"), axis=1)
            if rate == document["clock"]["frames_per_second"]:
                told = f"holds for {(speeds > LEAST).sum()} of {moment.count} by itself"
                self.until(lambda told=told: counted.get_attribute("title") == told, "counted at the frame on screen")
            drawn = next(layer for layer in layers(moment) if layer.shader == "ribbon")
            starts, points = drawn.extra["starts"], drawn.extra["points"]
            ways: dict[int, float] = {}
            for who, first, end in zip(drawn.id.tolist(), starts[:-1], starts[1:], strict=True):
                steps = np.diff(points[first + 1 : end - 1, :3].astype(np.float64), axis=0)
                ways[who] = ways.get(who, 0.0) + float(np.linalg.norm(steps, axis=1).sum())
            self.assertGreater(len(ways), 100)
            ids, since = moment.column("id"), moment.time - moment.column("trail_begun").astype(np.float64)
            whole = 0
            for at, who in enumerate(ids.tolist()):
                lasting = min(FACTOR * speeds[at], since[at], float(moment.column("age")[at]))
                # Nobody changes its speed by more than gravity does within so short a time; drag and wind are weaker.
                change = 12.0 * lasting
                self.assertLessEqual(ways.get(who, 0.0), lasting * (speeds[at] + change) + 1e-3)
                if speeds[at] - change > LEAST and lasting > 2 / rate:
                    self.assertGreaterEqual(ways.get(who, 0.0), lasting * (speeds[at] - change) - 1e-3)
                    whole += 1
                if speeds[at] + change < LEAST:
                    self.assertNotIn(who, ways)
            self.assertGreater(whole, 5)


if __name__ == "__main__":
    unittest.main()
