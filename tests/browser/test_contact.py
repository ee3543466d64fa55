"""Contact from *New effect* by mouse and keyboard: what sticks in something that moves, and is let go."""

from __future__ import annotations

import numpy as np

from hailridge import demo
from hailridge.core.scene.plan import Plan
from hailridge.model.validation import read_effect
from tests.browser.jobs import Job
from tests.support import run


class Sticking(Job):
    def test_darts_stick_in_a_ball_that_moves_and_are_let_go(self) -> None:
        page = self.page
        self.begin("Falling")
        self.click(page.get_by_role("button", name="To the start"))
        solid = self.rule("Solid")
        self.click(solid.get_by_role("button", name="with bounciness").first)
        self.choose("glue", "stick to a shape")
        self.until(lambda: "stick to Ball" in solid.inner_text(), "exchanged, about the same shape")
        # The ball moves: two keyframes of its place.
        ball = page.locator('[data-item="shapes/ball"]')
        self.click(ball.get_by_role("button", name="(0, 0.7, 0)"))
        self.click(page.get_by_role("dialog").get_by_role("button", name="+ keyframes"))
        self.key("Escape")
        self.seek(60)
        self.click(ball.get_by_role("button", name="(0, 0.7, 0)"))
        self.typed("1.5")
        self.key("Escape")
        # At three seconds all of them are let go, at once.
        self.key("r")
        mine = self.rule("New rule")
        self.click(mine.get_by_role("button", name="always"))
        self.choose("clock", "compare a quantity")
        self.click(self.button("^Threshold", mine))
        self.typed("3")
        self.key("Escape")
        self.click(mine.get_by_role("button", name="at each step"))
        self.click(page.get_by_role("menuitem", name="once"))
        self.click(mine.get_by_role("button", name="+ action"))
        self.choose("release", "let go")
        document = self.document()
        self.told("stuck in a ball that moves", 26)
        for rate in (24.0, 48.0):
            timed = document | {"clock": document["clock"] | {"frames_per_second": rate}}
            frames, plan = run(timed, assets=demo.assets()), Plan(read_effect(timed), demo.assets())
            first, second, third = (frames[round(rate * at)] for at in (1.4, 2.4, 4.2))
            stuck = first.columns["stuck"] > 0
            self.assertGreater(int(stuck.sum()), 30)
            who = first.columns["id"][stuck]
            gone = second.columns["position"][np.isin(second.columns["id"], who)] - first.columns["position"][stuck]
            # As far as the ball has come, each of them.
            way = plan.at(second.time).pose("ball").transform.translation - plan.at(first.time).pose("ball").transform.translation
            self.assertGreater(way[0], 0.4)
            np.testing.assert_allclose(gone, np.tile(way, (len(who), 1)), atol=1e-4)
            self.assertFalse((third.columns["stuck"][np.isin(third.columns["id"], who)] > 0).any())
