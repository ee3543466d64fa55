"""Who is around, from *New effect* by mouse and keyboard: one takes its nearest until nobody is left; whom a count catches, coloured by it."""

from __future__ import annotations

import re

import numpy as np
from scipy.spatial import cKDTree

from hailridge import demo
from tests.browser.jobs import Job
from tests.support import run


class Neighbourhoods(Job):
    def test_one_takes_its_nearest_until_nobody_is_left_and_the_score_says_why(self) -> None:
        page = self.page
        self.begin("Filling a shape")
        self.click(page.get_by_role("button", name="To the start"))
        self.click(self.button("^Add source"))
        self.click(page.get_by_role("option", name="exactly one"))
        # It has a group of its own.
        seeker = self.rule("Source 2")
        seeker.get_by_role("button", name="Particles 2", exact=True).wait_for()
        self.click(self.button("^Add group"))
        self.click(seeker.get_by_role("button", name="on the surface", exact=True))
        self.click(page.get_by_role("option", name="at the centre"))
        self.click(self.button("^Speed", seeker))
        self.typed("0", "Tab")
        self.typed("0.05", "Tab")
        self.typed("100")
        self.key("Escape")
        self.key("r")
        mine = self.rule("New rule")
        self.click(mine.get_by_role("button", name="Everyone"))
        self.click(page.get_by_role("dialog").get_by_text("Particles 2", exact=True))
        self.key("Escape")
        self.click(mine.get_by_role("button", name="+ action"))
        # The neighbourhood comes with the action: those whom the rule is about look.
        self.choose("catch nearest", "move those found")
        self.click(mine.get_by_role("button", name="all", exact=True))
        self.click(page.get_by_role("menuitem", name="the nearest"))
        self.click(self.button("^More of move those found", mine))
        self.click(page.get_by_role("dialog").get_by_role("button", name=re.compile("^One every")))
        self.typed("2f")
        self.key("Escape")
        self.key("Escape")
        hood = self.rule("Surroundings")
        self.click(hood.get_by_role("button", name="everyone", exact=True))
        self.click(page.get_by_role("dialog").get_by_text("Particles", exact=True))
        self.key("Escape")
        self.click(self.button("^Within", hood))
        axis = self.drag_reach(0.5, 0.62)
        self.key("Escape")
        document = self.document()
        (made,) = document["neighbourhoods"]
        self.assertEqual((made["who"], made["among"]), (["particles-2"], ["first"]))
        reach = made["reach"]["value"]
        self.assertAlmostEqual(reach, 0.62 * axis, delta=0.02 * axis)
        self.told("one takes its nearest", 50)
        frames = run(document, assets=demo.assets())
        first = frames[0].columns
        places, seeking = first["position"][first["group"] != 1], first["position"][first["group"] == 1][0]
        # One every two frames, the nearest first, as far as the reach goes (source: scipy.spatial.cKDTree).
        within = len(cKDTree(places.astype(float)).query_ball_point(seeking.astype(float), reach))
        self.assertGreater(within, 4)
        taken = [int(frame.population[2]) for frame in frames]
        self.assertEqual(taken[: 2 * within : 2], list(range(1, within + 1)))
        self.assertEqual(taken[-1], within)
        self.seek(2 * within + 6)
        hood.get_by_text(re.compile(r"The nearest is 0\.\d+ m away, and the reach is 0\.\d+ m\.")).wait_for()
        self.until(lambda: self.population("Group") == within, "all within reach")
        self.seek(1)
        self.until(lambda: "The nearest is" not in hood.inner_text(), "found again")

    def drag_reach(self, start: float, end: float) -> float:
        """Drag a reach between two shares of the width of its distances; how far those go (m)."""
        line = self.page.get_by_role("slider", name=re.compile("Reach on the distribution"))
        box, before = line.bounding_box(), None
        while box != before:
            self.page.wait_for_timeout(150)
            box, before = line.bounding_box(), box
        assert box
        axis = float(line.get_attribute("aria-valuemax") or 0)
        self.made += 1
        self.page.mouse.move(box["x"] + box["width"] * start, box["y"] + 30)
        self.page.mouse.down()
        for share in np.linspace(start, end, 4):
            self.page.mouse.move(box["x"] + box["width"] * share, box["y"] + 30)
            # Answers come meanwhile: the line stays under the pointer.
            self.page.wait_for_timeout(250)
        self.page.mouse.up()
        return axis

    def test_the_gaps_are_found_in_one_drag_and_grown(self) -> None:
        page = self.page
        self.begin("From a surface")
        self.click(page.get_by_role("button", name="To the start"))
        self.click(self.button("^Add shape"))
        self.choose("ball", "Ball")
        self.click(self.button("^Position", self.rule("Ball 2")))
        self.typed("0.6", "Tab")
        self.typed("1")
        self.key("Escape")
        self.click(self.button("^Add shape"))
        self.choose("compound", "Compound")
        self.click(self.button("^no shapes yet"))
        made_of = page.get_by_role("dialog")
        self.click(made_of.get_by_text("Ball", exact=True))
        self.click(made_of.get_by_text("Ball 2", exact=True))
        # It is not offered to itself.
        self.assertEqual(made_of.get_by_role("checkbox").count(), 2)
        self.key("Escape")
        source = self.rule("Source")
        self.click(source.get_by_role("button", name="Ball", exact=True))
        self.click(page.get_by_role("menuitem", name="Compound", exact=True))
        self.click(source.get_by_role("button", name="from", exact=True))
        self.click(page.get_by_role("option", name="many at once"))
        for value, *texts in (
            ("How many", "4000"),
            ("Speed", "0", "0"),
            ("Radius", "0.01", "0"),
            ("Lifetime", "100"),
        ):
            self.click(self.button(f"^{value}", source))
            for text in texts:
                self.typed(text, "Tab")
            self.key("Escape")
        self.click(self.button("^Add group"))
        self.typed("Grown")
        self.key("r")
        gaps = self.rule("New rule")
        self.click(gaps.get_by_role("button", name="Everyone"))
        self.click(page.get_by_role("dialog").get_by_text("Particles", exact=True))
        self.key("Escape")
        self.click(gaps.get_by_role("button", name="always"))
        self.choose("number found", "compare a quantity")
        self.click(self.button("^Within", self.rule("Surroundings")))
        self.typed("0.2")
        self.key("Escape")
        self.wait_computed()
        self.click(self.button("^Threshold", gaps))
        # The one drag: the sparse end of the distribution stays behind.
        self.made += 1
        self.drag_threshold(0.3, 0.55)
        self.key("Escape")
        self.click(gaps.get_by_role("button", name="+ action"))
        self.choose("turn into", "move to a group")
        self.key("r")
        grow = self.rule("New rule 2")
        self.click(grow.get_by_role("button", name="Everyone"))
        self.click(page.get_by_role("dialog").get_by_text("Grown", exact=True))
        self.key("Escape")
        self.click(grow.get_by_role("button", name="+ action"))
        self.choose("grow", "approach a value")
        self.click(self.button("^Toward", grow))
        self.typed("0.03")
        self.key("Escape")
        self.click(grow.get_by_role("button", name="+ action"))
        self.choose("overlap", "push apart")
        document = self.document()
        self.told("gaps found and grown", 65)
        threshold = document["rules"][0]["condition"]["threshold"]["value"]
        for rate in (24.0, 60.0):
            clock = document["clock"] | {"frames_per_second": rate}
            frames = run(document | {"clock": clock}, int(rate), assets=demo.assets())
            first, last = frames[0].columns, frames[-1].columns
            places = first["position"].astype(float)
            counts = cKDTree(places).query_ball_point(places, 0.2, return_length=True) - 1
            caught = counts > threshold
            self.assertEqual(set(first["id"][first["group"] == 1]), set(first["id"][caught]))
            # They are the gap: all round the line between the balls, near where these meet (Pythagoras: 0.5² − 0.3² = 0.4²).
            ring = np.hypot(places[caught, 1] - 1, places[caught, 2])
            meeting = np.hypot(ring - 0.4, places[caught, 0] - 0.3)
            self.assertLess(np.quantile(meeting, 0.95), 0.15)
            around = np.arctan2(places[caught, 2], places[caught, 1] - 1)
            self.assertLess(np.diff(np.sort(around)).max(), 0.6)
            elsewhere = np.hypot(np.hypot(places[:, 1] - 1, places[:, 2]) - 0.4, places[:, 0] - 0.3) > 0.25
            self.assertEqual(np.count_nonzero(elsewhere & caught), 0)
            grown = last["group"] == 1
            np.testing.assert_allclose(last["radius"][grown], 0.03, atol=1e-6)
            np.testing.assert_allclose(last["radius"][~grown], 0.01, atol=1e-6)
            # And they make room for one another: few pairs overlap by more than a per cent of a radius.
            apart = cKDTree(last["position"][grown].astype(float)).query_pairs(0.06 - 0.0003)
            self.assertLess(len(apart), 0.02 * grown.sum())
        self.until(lambda: self.population("Grown") == int(frames[0].population[1]), "the gap")

    def test_whom_a_count_catches_coloured_by_it_and_seen_for_one(self) -> None:
        page = self.page
        self.begin("Filling a shape")
        self.click(page.get_by_role("button", name="To the start"))
        self.key("r")
        mine = self.rule("New rule")
        self.click(mine.get_by_role("button", name="always"))
        self.choose("compare number found", "compare a quantity")
        page.wait_for_timeout(500)
        self.wait_computed()
        self.click(mine.get_by_role("button", name="number found by", exact=True))
        self.click(page.get_by_role("button", name="Colour by this"))
        look = page.locator('[data-item^="looks/"]').first
        look.get_by_text("as").first.wait_for()
        self.until(lambda: "number found by" in look.inner_text(), "a ramp over the count")
        document = self.document()
        layer = document["looks"][0]["layers"][-1]
        counts = run(document, 0, assets=demo.assets())[0]
        tree = cKDTree(counts.columns["position"].astype(float))
        found = tree.query_ball_point(counts.columns["position"].astype(float), 0.5, return_length=True) - 1
        # From nobody, below which no number of them can be, to a round number about the most that anybody finds now.
        self.assertEqual((layer["kind"], layer["quantity"]["kind"]), ("ramp", "found"))
        low, high, many = layer["start"], layer["end"], np.quantile(found, 0.95)
        self.assertTrue(low == 0 and many - 1 <= high <= 1.25 * found.max(), (low, high, many))
        # One is picked: what it finds stands over the stage.
        canvas = page.locator("[data-testid=stage] canvas")
        box = canvas.bounding_box()
        assert box
        seen = page.get_by_test_id("seen")
        for share in np.linspace(0.3, 0.7, 9):
            page.mouse.click(box["x"] + box["width"] * 0.5, box["y"] + box["height"] * share)
            page.wait_for_timeout(400)
            if seen.count():
                break
        number = int(re.sub(r"\D", "", re.findall(r": ([\d\u202f, ]+) found within", seen.inner_text())[0]))
        self.assertTrue(found.min() <= number <= found.max())
