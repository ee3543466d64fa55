"""Contact from *New effect* by mouse and keyboard: what sticks in something that moves, and is let go."""

from __future__ import annotations

import re

import numpy as np
from scipy.spatial.transform import Rotation

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


class Door(Job):
    def test_arrows_stick_in_a_door_that_swings(self) -> None:
        """They fly at a door of their own making while it swings, stay where and how they hit it, and go with it."""
        page = self.page
        self.begin("Fountain")
        self.key("Home")
        self.click(self.button("^Add shape"))
        self.click(page.get_by_role("option", name="Box", exact=True))
        door = page.locator('[data-item="shapes/box"]')
        self.click(door.get_by_role("button", name="1 × 1 × 1 m"))
        for size, then in (("3", "Tab"), ("0.1", "Tab"), ("3", "Enter")):
            self.typed(size, then=then)
        self.key("Escape")
        self.click(door.get_by_role("button", name="(0, 0, 0)").first)
        self.typed("0", then="Tab")
        self.typed("1.2")
        self.key("Escape")
        door.hover()
        self.click(door.get_by_role("button", name="All values of Box"))
        self.click(page.get_by_role("button", name=re.compile("^Turned")))
        self.click(page.get_by_role("button", name="+ keyframes"))
        self.key("Escape")
        self.key("Escape")
        self.seek(72)
        self.click(door.get_by_role("button", name="(0, 0, 0) °"))
        self.typed("0", then="Tab")
        self.typed("0", then="Tab")
        self.typed("50")
        self.key("Escape")
        # Arrows: long, and turned as they fly.
        self.key("r")
        mine = self.rule("New rule")
        self.click(mine.get_by_role("button", name="+ action"))
        self.choose("glue", "stick to a shape")
        self.until(lambda: "stick to" in mine.inner_text(), "an action more")
        if "stick to Box" not in mine.inner_text():
            self.click(mine.get_by_role("button", name="Nozzle").or_(mine.get_by_role("button", name="Floor")))
            self.click(page.get_by_role("option", name="Box", exact=True).or_(page.get_by_role("menuitem", name="Box", exact=True)))
        self.key("r")
        facing = self.rule("New rule 2")
        self.click(facing.get_by_role("button", name="+ action"))
        self.choose("face", "face its motion")
        document = self.document()
        self.told("arrows that stick in a door that swings", 33)
        for rate in (24.0, 60.0):
            timed = document | {"clock": document["clock"] | {"frames_per_second": rate}}
            frames, plan = run(timed, assets=demo.assets()), Plan(read_effect(timed), demo.assets())
            first, second = (frames[round(rate * at)] for at in (1.0, 2.2))
            both = np.intersect1d(first.columns["id"][first.columns["stuck"] > 0], second.columns["id"][second.columns["stuck"] > 0])
            self.assertGreater(len(both), 30)
            kept = []
            for frame in (first, second):
                rows = np.searchsorted(frame.columns["id"], both)
                pose = plan.at(frame.time).pose("box").transform
                turned = Rotation.from_matrix(pose.rotation)
                place = pose.inverse().points(frame.columns["position"][rows].astype(np.float64))
                kept.append((place, (turned.inv() * Rotation.from_quat(frame.columns["orientation"][rows])).as_matrix()))
            for before, after in zip(*kept, strict=True):
                np.testing.assert_allclose(after, before, atol=3e-4)
            # On the side that they came to, by their radius, and some 30° round.
            np.testing.assert_allclose(np.abs(kept[0][0][:, 1]), 0.05 + first.columns["radius"][np.searchsorted(first.columns["id"], both)], atol=2e-3)


class Passing(Job):
    def test_touched_by_a_passing_ball_they_turn_and_stop(self) -> None:
        """A ball that nothing hinders goes through particles at rest; whom it touches turns, and stops a second later."""
        page = self.page
        self.begin("Filling")
        self.key("Home")
        self.click(self.button("^Add shape"))
        self.click(page.get_by_role("option", name="Ball", exact=True))
        ball = page.locator('[data-item="shapes/ball"]')
        self.click(ball.get_by_role("button", name="(0, 0, 0)"))
        self.typed("-2", then="Tab")
        self.typed("0.8", then="Tab")
        self.click(page.get_by_role("dialog").get_by_role("button", name="+ keyframes"))
        self.key("Escape")
        self.seek(48)
        self.click(ball.get_by_role("button", name="(−2, 0.8, 0)"))
        self.typed("2")
        self.key("Escape")
        self.key("r")
        noticing = self.rule("New rule")
        self.click(noticing.get_by_role("button", name="+ action"))
        self.choose("pass through", "notice a shape")
        self.until(lambda: "go through Ball and notice it" in noticing.inner_text(), "about the ball")
        self.key("r")
        turning = self.rule("New rule 2")
        self.click(turning.get_by_role("button", name="at each step"))
        self.click(page.get_by_role("menuitem", name="on contact"))
        page.get_by_text("where they touch, on the way").wait_for()
        self.click(turning.get_by_role("button", name="+ action"))
        self.choose("spin", "set an attribute")
        self.until(lambda: "set spin to (0, 180, 0)" in turning.inner_text(), "half a turn a second")
        self.key("r")
        stopping = self.rule("New rule 3")
        self.click(stopping.get_by_role("button", name="always"))
        self.choose("after touching", "compare a quantity")
        self.click(self.button("^Threshold", stopping))
        self.typed("1")
        self.key("Escape")
        self.click(stopping.get_by_role("button", name="at each step"))
        self.click(page.get_by_role("menuitem", name="the moment it becomes true"))
        self.click(stopping.get_by_role("button", name="+ action"))
        self.choose("spin", "set an attribute")
        self.click(stopping.get_by_role("button", name="(0, 180, 0)").first)
        self.typed("0", then="Tab")
        self.typed("0")
        self.key("Escape")
        document = self.document()
        self.told("touched by a passing ball, they turn and stop", 40)
        for rate, frames in self.at_rates(document):
            last = frames[-1].columns
            begun = frames[1].columns["position"]
            # Nobody was moved; who lies in the tube that the ball sweeps was touched, once, and nobody else.
            np.testing.assert_allclose(last["position"], begun, atol=1e-6)
            across = np.hypot(begun[:, 1] - 0.8, begun[:, 2])
            radius = read_effect(document).shapes[1].radius  # type: ignore[attr-defined]
            inside = across < radius + 0.02
            self.assertTrue((last["contact_count"][inside] == 1).all())
            self.assertFalse((last["contact_count"][across > radius + 0.03] > 0).any())
            # Half a turn, to the step.
            self.assertTrue((last["spin"] == 0).all())
            turns = np.array([np.abs(frame.columns["spin"][inside]).sum() > 0 for frame in frames])
            self.assertTrue(turns.any() and not turns[-1])
            spun = np.sum([np.linalg.norm(frame.columns["spin"], axis=1) for frame in frames], axis=0) / rate
            np.testing.assert_allclose(spun[inside], np.pi, atol=np.pi * 1.6 / rate)


class Gathering(Job):
    def test_drops_gather_and_let_go(self) -> None:
        """They slide along a ball, keep apart, and are let go where many are together, where it is steep, where it pulls: three rules, three counts."""
        page = self.page
        self.begin("Falling")
        solid = self.rule("Solid")
        self.click(solid.get_by_role("button", name="with bounciness").first)
        self.choose("run down", "slide along a shape")
        self.until(lambda: "slide along Ball" in solid.inner_text(), "exchanged, about the same shape")
        self.click(solid.get_by_role("button", name="+ action"))
        self.choose("overlap", "push apart")
        names = []
        for say, option, chosen in (("steepness", "compare a quantity", "steepness"), ("pull off", "compare a quantity", "pull off"), ("number of neighbours", "compare a quantity", "neighbours within")):
            self.key("r")
            name = "New rule" if not names else f"New rule {len(names) + 1}"
            names.append(name)
            mine = self.rule(name)
            self.click(mine.get_by_role("button", name="always"))
            self.choose(say, option)
            self.until(lambda mine=mine, chosen=chosen: chosen in mine.inner_text(), f"asks for {chosen}")
            self.click(self.button("^Threshold", mine))
            self.wait_for_distribution()
            self.typed({"steepness": "90", "pull off": "9", "neighbours within": "8"}[chosen])
            self.key("Escape")
            self.click(mine.get_by_role("button", name="at each step"))
            self.click(page.get_by_role("menuitem", name="the moment it becomes true"))
            self.click(mine.get_by_role("button", name="+ action"))
            self.choose("release", "let go")
        document = self.document()
        self.told("drops that gather and let go", 45)
        for _rate, frames in self.at_rates(document, 24.0, 48.0):
            acted = np.sum([frame.acted for frame in frames], axis=0)[-3:]
            self.assertTrue(acted[0] > 0 and acted[2] > 0, f"{acted}")
            for frame in frames:
                sliding = frame.columns["sliding"] == 2
                if sliding.any():
                    # On the ball (0.6 m at 0.7 m), each its radius off it, and none below its middle.
                    away = np.linalg.norm(frame.columns["position"][sliding] - [0.0, 0.7, 0.0], axis=1)
                    np.testing.assert_allclose(away, 0.6 + frame.columns["radius"][sliding], atol=1e-4)
                    self.assertGreater(float(frame.columns["position"][sliding, 1].min()), 0.7 - 0.12)

    def wait_for_distribution(self) -> None:
        self.page.wait_for_timeout(300)


class Straying(Job):
    def test_a_stray_is_found_and_its_rule_mended(self) -> None:
        page = self.page
        self.begin("Falling")
        self.key("r")
        mine = self.rule("New rule")
        self.click(mine.get_by_role("button", name="always"))
        self.choose("random", "by chance")
        self.click(mine.get_by_role("button", name="at each step"))
        self.click(page.get_by_role("menuitem", name="once"))
        self.click(mine.get_by_role("button", name="+ action"))
        self.choose("velocity", "add to an attribute")
        self.click(mine.get_by_role("button", name="50 %"))
        self.typed("1")
        self.key("Escape")
        self.click(mine.get_by_role("button", name="m/s").first)
        self.typed("300")
        self.key("Escape")
        self.wait_computed()
        self.seek(100)
        self.key("z")
        finder = page.get_by_role("region", name="Who is far out")
        finder.get_by_text("are more than").or_(finder.get_by_text("is more than")).wait_for()
        self.click(finder.get_by_role("button", name="Particle").first)
        self.click(finder.get_by_role("button", name="New rule").first)
        self.until(lambda: mine.is_visible(), "the rule that threw it is in view")
        self.click(finder.get_by_role("button", name="Guard the scene"))
        self.wait_computed()
        self.until(lambda: "Nobody is far out" in finder.inner_text(), "the guard has removed them")
        document = self.document()
        self.told("a stray found and guarded against", 21)
        guard = document["rules"][-1]
        self.assertEqual((guard["actions"][0]["kind"], guard["actions"][0]["response"]), ("keep", "remove"))
        box = next(shape for shape in document["shapes"] if shape["id"] == guard["actions"][0]["shape"])
        for frame in run(document, assets=demo.assets()):
            away = np.abs(frame.columns["position"] - box["position"])
            self.assertTrue((away <= np.array(box["size"]) / 2 + 1e-4).all())
        # Mended: without the push nobody is thrown, and the guard has nothing to do.
        self.click(self.button("^Switch it off", mine))
        self.until(lambda: not self.document()["rules"][-2].get("enabled", True), "switched off")


class KeepingIn(Job):
    def test_kept_in_a_box_and_braked_outside_it(self) -> None:
        """*Fountain* from *New effect*: kept within a box of its own making, in every recorded frame."""
        page = self.page
        self.begin("Fountain")
        self.click(self.button("^Add shape"))
        self.click(page.get_by_role("option", name="Box", exact=True))
        self.key("r")
        mine = self.rule("New rule")
        self.click(mine.get_by_role("button", name="+ action"))
        self.choose("boundary", "keep in or out")
        self.until(lambda: "whoever is outside Box" in mine.inner_text(), "about the box")
        self.until(lambda: "hold at its border" in mine.inner_text(), "it holds to begin with")
        document = self.document()
        self.told("kept in a box", 8)
        box = next(shape for shape in document["shapes"] if shape["kind"] == "box")
        half = np.array(read_effect(document).shapes[-1].size) / 2  # type: ignore[attr-defined]
        held = 0
        for frame in run(document, assets=demo.assets()):
            away = np.abs(frame.columns["position"] - np.array(box.get("position", [0, 0, 0])))
            self.assertTrue((away <= half + 1e-4).all())
            held += int((away > half - 2e-4).any(axis=1).sum())
        self.assertGreater(held, 100)
