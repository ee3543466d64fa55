"""Trails: how long they are, that the frame rate does not decide it, what they remember, and their budget."""

from __future__ import annotations

import random
import unittest
from itertools import pairwise
from typing import Any

import numpy as np

from hailridge.core.kinds.looks.lines import bounded
from hailridge.core.kinds.looks.trails import Trails
from hailridge.core.looking.observe import layers
from hailridge.model.validation import read_effect
from tests.support import Document, compare, document, moment_of, rule

POINTS: Document = {"kind": "by_points", "points": 30}


def trailing(
    *rules: Document,
    look: Document | None = None,
    fps: float = 24.0,
    seconds: float = 4.0,
    steps: int = 1,
    **rest: Any,
) -> Document:
    raw = document(
        *rules, clock={"frames_per_second": fps, "duration": seconds, "steps_per_frame": steps}, **rest
    )
    raw["looks"] = [{"kind": "trails", "id": "t", "length": POINTS, **(look or {})}]
    return raw


def lines(raw: Document, last: int | None = None) -> list[np.ndarray]:
    """Each trail's points (n, 4): place and half width, head first, without the doubled ends."""
    drawn = layers(moment_of(raw, last))[0]
    starts, points = drawn.extra["starts"], drawn.extra["points"]
    return [points[first + 1 : end - 1] for first, end in pairwise(starts)]


def length_of(line: np.ndarray) -> float:
    return float(np.linalg.norm(np.diff(line[:, :3].astype(np.float64), axis=0), axis=1).sum())


class Lengths(unittest.TestCase):
    def test_a_hundred_and_twenty_points_at_twenty_four_frames_are_five_seconds(self) -> None:
        # Common practice, no source: one point a frame.
        raw = trailing(look={"length": {"kind": "by_points", "points": 120}}, seconds=6.0, speed=2.0)
        (line,) = lines(raw)
        self.assertEqual(len(line), 120)
        self.assertAlmostEqual(length_of(line), 2.0 * (119 / 24), places=2)

    def test_with_a_spacing_the_frame_rate_does_not_decide_the_length(self) -> None:
        bent = [
            rule({"kind": "gravity", "acceleration": 9.81}),
            rule({"kind": "wind", "velocity": [2.0, 0.0, 1.0]}, id="wind"),
        ]
        found = [
            length_of(lines(trailing(*bent, look={"spacing": 0.25}, fps=fps, speed=6.0, steps=steps))[0])
            for fps, steps in ((24.0, 1), (30.0, 1), (60.0, 1), (24.0, 4))
        ]
        self.assertLess((max(found) - min(found)) / min(found), 0.02)
        self.assertAlmostEqual(found[0], 29 * 0.25, delta=0.1)

    def test_a_time_is_the_same_way_at_any_frame_rate(self) -> None:
        for fps in (24.0, 25.0, 60.0):
            (line,) = lines(
                trailing(look={"length": {"kind": "by_time", "seconds": 1.3}}, fps=fps, speed=3.0)
            )
            self.assertAlmostEqual(length_of(line), 3.9, places=3)

    def test_it_begins_at_the_particle_and_ends_where_it_was_born(self) -> None:
        raw = trailing(
            look={"length": {"kind": "by_points", "points": 500}},
            speed=1.0,
            position=[0.0, 2.0, 0.0],
            seconds=1.0,
        )
        (line,) = lines(raw)
        np.testing.assert_allclose(line[0, :3], [0, 3, 0], atol=1e-4)
        np.testing.assert_allclose(line[-1, :3], [0, 2, 0], atol=1e-4)

    def test_a_newborn_within_a_frame_has_its_birthplace_as_its_end(self) -> None:
        raw = trailing(speed=3.0, seconds=0.5, source={"emission": {"kind": "rate", "rate": 60.0}})
        ends = np.array([line[-1, :3] for line in lines(raw)])
        np.testing.assert_allclose(ends, 0.0, atol=1e-4)

    def test_steps_within_frames_make_curves_of_polygons(self) -> None:
        raw = trailing(
            rule({"kind": "gravity", "acceleration": 9.81}),
            fps=6.0,
            seconds=2.0,
            speed={"kind": "fixed", "value": 6.0},
            axis=[1.0, 1.0, 0.0],
            steps=8,
            look={"length": {"kind": "by_time", "seconds": 1.5}},
        )
        (through,) = lines(raw)
        raw["looks"][0]["smooth"] = False
        (straight,) = lines(raw)
        raw["looks"][0]["smooth"] = True
        raw["clock"]["steps_per_frame"] = 1
        (rounded,) = lines(raw)
        self.assertGreater(len(through), 60)
        # Throws are parabolas: v(t) = (a, b − gt), whose length is an integral (handbook mechanics).
        times = np.linspace(0.5, 2.0, 4001)
        speed = np.hypot(6.0 / np.sqrt(2), 6.0 / np.sqrt(2) - 9.81 * times)
        exact = float(np.trapezoid(speed, times))
        self.assertAlmostEqual(length_of(through), exact, delta=0.01)
        self.assertLess(length_of(straight), exact)
        self.assertGreater(length_of(rounded), length_of(straight))


class Dressing(unittest.TestCase):
    def test_taper_and_fade_go_from_head_to_tail(self) -> None:
        raw = trailing(speed=2.0, look={"size": 1.0, "length": {"kind": "by_points", "points": 11}})
        drawn = layers(moment_of(raw))[0]
        points, color = drawn.extra["points"], drawn.color
        np.testing.assert_allclose(points[1:-1, 3], 0.05 * np.linspace(1, 0, 11), atol=1e-5)
        np.testing.assert_allclose(color[1:-1, 3], 255 * np.linspace(1, 0, 11), atol=1.0)
        # Doubled ends have no width, so that lines do not run into one another.
        self.assertEqual(points[[0, -1], 3].tolist(), [0, 0])

    def test_colours_are_those_of_the_place_unless_present_ones_are_wanted(self) -> None:
        layer = {
            "kind": "plain",
            "color": {
                "kind": "curve",
                "over": "age",
                "curve": {
                    "keys": [{"at": 0.0, "value": [0.0, 0.0, 1.0]}, {"at": 2.0, "value": [1.0, 0.0, 0.0]}]
                },
            },
        }
        raw = trailing(
            speed=1.0, seconds=2.0, look={"layers": [layer], "length": {"kind": "by_time", "seconds": 2.0}}
        )
        then = layers(moment_of(raw))[0].color[1:-1, :3]
        self.assertEqual(then[0].tolist(), [255, 0, 0])
        self.assertLess(int(then[-1, 0]), 8)
        raw["looks"][0]["colored"] = "now"
        now = layers(moment_of(raw))[0].color[1:-1, :3]
        self.assertTrue((now == [255, 0, 0]).all())

    def test_a_ramp_along_the_trail_lies_over_what_is_below(self) -> None:
        ramp = {"keys": [{"at": 0.0, "value": [1.0, 1.0, 1.0]}, {"at": 1.0, "value": [0.0, 0.0, 0.0]}]}
        raw = trailing(
            speed=1.0,
            look={
                "layers": [
                    {"kind": "plain", "color": [0.0, 1.0, 0.0]},
                    {"kind": "along_trail", "ramp": ramp, "mode": "multiply"},
                ]
            },
        )
        color = layers(moment_of(raw))[0].color[1:-1, :3].astype(int)
        self.assertEqual(color[0].tolist(), [0, 255, 0])
        self.assertEqual(color[-1].tolist(), [0, 0, 0])
        self.assertTrue((np.diff(color[:, 1]) <= 0).all())

    def test_points_go_a_time_after_they_were_laid(self) -> None:
        raw = trailing(speed=1.0, look={"fade_time": 0.5, "fading": {"keys": [{"at": 0.0, "value": 1.0}]}})
        solid = layers(moment_of(raw))[0].color[1:-1, 3].astype(float)
        ages = np.arange(len(solid)) / 24
        np.testing.assert_allclose(solid, 255 * np.clip(1 - ages / 0.5, 0, 1), atol=1.5)

    def test_trails_left_behind(self) -> None:
        raw = trailing(
            speed=1.0,
            seconds=2.0,
            source={"lifetime": 1.0},
            look={"length": {"kind": "by_time", "seconds": 5.0}},
        )
        self.assertEqual(lines(raw), [])
        raw["looks"][0]["outlive"] = 2.0
        moment = moment_of(raw)
        self.assertEqual(moment.count, 0)
        drawn = layers(moment)[0]
        self.assertEqual(len(drawn.id), 1)
        # Gone for one of two seconds: half as solid.
        self.assertAlmostEqual(int(drawn.color[1, 3]), 127, delta=8)

    def test_sway_grows_toward_the_tail(self) -> None:
        raw = trailing(speed=4.0)
        (plain,) = lines(raw)
        raw["looks"][0] |= {"sway": 0.5, "sway_size": 0.4}
        (swaying,) = lines(raw)
        aside = np.linalg.norm(swaying[:, :3] - plain[:, :3], axis=1)
        self.assertEqual(float(aside[0]), 0.0)
        self.assertGreater(aside[20:].mean(), 2 * aside[1:10].mean())
        self.assertLess(aside.max(), 0.5 * np.sqrt(3))

    def test_only_while_in_the_group(self) -> None:
        into = rule(
            {"kind": "move", "group": "b"},
            trigger="once",
            who=["a"],
            condition=compare("age", "at_least", 1.0),
        )
        raw = trailing(
            into,
            speed=1.0,
            seconds=2.0,
            groups=["a", "b"],
            look={"who": ["b"], "length": {"kind": "by_time", "seconds": 9.0}},
        )
        (line,) = lines(raw)
        self.assertAlmostEqual(length_of(line), 1.0, delta=0.06)


SPEED: Document = {"kind": "attribute", "attribute": "speed"}
RATES = ((24.0, 1), (24.0, 4), (60.0, 1), (60.0, 3))


class ByParticle(unittest.TestCase):
    def test_longer_the_faster(self) -> None:
        """A time of half its speed: ways of v²/2. Points of ten times its speed, by a formula: one a frame."""
        speed = {"kind": "spread", "value": 2.0, "spread": 1.0, "shape": "even"}
        half = {"kind": "as_it_is", "quantity": SPEED, "factor": 0.5}
        for fps, steps in RATES:
            raw = trailing(look={"length": {"kind": "by_time", "seconds": half}}, fps=fps, steps=steps, speed=speed, count=20)
            moment = moment_of(raw)
            speeds = np.linalg.norm(moment.column("velocity"), axis=1)
            ways = np.array([length_of(line) for line in lines(raw)])
            np.testing.assert_allclose(ways, speeds**2 / 2, atol=1e-3)
            raw["looks"][0]["length"] = {"kind": "by_points", "points": {"kind": "formula", "text": "10 * speed"}}
            raw["looks"][0]["smooth"] = False
            np.testing.assert_array_equal([len(line) for line in lines(raw)], np.floor(speeds * np.float32(10)))

    def test_no_points_no_trail(self) -> None:
        none = {"kind": "by_points", "points": {"kind": "mapped", "quantity": SPEED, "low": 0.0, "high": 0.0}}
        self.assertEqual(lines(trailing(look={"length": none}, speed=1.0)), [])

    def test_what_a_particle_is_now_decides_when_its_points_go_and_how_they_sway(self) -> None:
        even = {"fading": {"keys": [{"at": 0.0, "value": 1.0}]}}
        raw = trailing(look={**even, "fade_time": {"kind": "as_it_is", "quantity": SPEED, "factor": 0.25}}, speed=2.0)
        solid = layers(moment_of(raw))[0].color[1:-1, 3].astype(float)
        np.testing.assert_allclose(solid, 255 * np.clip(1 - np.arange(len(solid)) / 24 / 0.5, 0, 1), atol=1.5)
        raw["looks"][0] |= {"fade_time": 0.0, "sway": {"kind": "formula", "text": "0.4 if speed > 1 else 0"}}
        plain = lines(raw | {"looks": [{**raw["looks"][0], "sway": 0.0}]})[0]
        swaying = lines(raw)[0]
        same = lines(raw | {"looks": [{**raw["looks"][0], "sway": 0.4}]})[0]
        np.testing.assert_array_equal(swaying, same)
        self.assertGreater(float(np.abs(swaying - plain).max()), 0.02)

    def test_how_long_it_is_left_behind_is_asked_of_it_as_it_was_last(self) -> None:
        """Two die at 1 s: one leaves its trail for 4 s, one for a second; two seconds later half of the first is left."""
        by_size = {"kind": "as_it_is", "quantity": {"kind": "attribute", "attribute": "mass"}}
        raw = trailing(speed=1.0, seconds=3.0, count=2, source={"lifetime": 1.0, "mass": {"kind": "formula", "text": "4 if id == 0 else 1"}})
        raw["looks"][0] |= {"length": {"kind": "by_time", "seconds": 5.0}, "outlive": by_size}
        drawn = layers(moment_of(raw))[0]
        self.assertEqual(drawn.id.tolist(), [0])
        self.assertAlmostEqual(int(drawn.color[1, 3]), 255 / 2, delta=5)


class Gaps(unittest.TestCase):
    def test_laid_only_while_it_is_fast(self) -> None:
        """Thrown up at 6 m/s: slower than 2 m/s from 4/g to 8/g seconds (handbook mechanics), within a frame."""
        gravity = 9.81
        condition = compare("speed", "above", 2.0)
        for fps, steps in RATES:
            raw = trailing(
                rule({"kind": "gravity", "acceleration": gravity}), speed=6.0, fps=fps, steps=steps, seconds=1.2,
                look={"length": {"kind": "by_time", "seconds": 9.0}, "laid_while": condition},
            )  # fmt: skip
            fall, rise = lines(raw)
            height = lambda time: 6 * time - gravity * time**2 / 2  # noqa: E731
            frame = 2.0 / fps + 0.02
            self.assertAlmostEqual(fall[0, 1], height(1.2), delta=0.07)
            self.assertAlmostEqual(fall[-1, 1], height(8 / gravity), delta=2 * frame + 0.02)
            self.assertAlmostEqual(rise[0, 1], height(4 / gravity), delta=2 * frame + 0.02)
            self.assertAlmostEqual(rise[-1, 1], 0.0, delta=1e-3)
            # Taper and fade go on across the gap: the second part is as wide as it would be without one.
            whole = lines(raw | {"looks": [{**raw["looks"][0], "laid_while": None}]})[0]
            for line in (fall, rise):
                at = [int(np.argmin(np.abs(whole[:, :3] - point[:3]).sum(axis=1) + np.abs(whole[:, 3] - point[3]))) for point in line]
                np.testing.assert_allclose(whole[at], line, atol=1e-6)

    def test_never_and_always(self) -> None:
        raw = trailing(speed=1.0, look={"laid_while": compare("speed", "above", 2.0)})
        self.assertEqual(lines(raw), [])
        always = lines(raw | {"looks": [{**raw["looks"][0], "laid_while": compare("speed", "above", 0.5)}]})
        plain = lines(raw | {"looks": [{**raw["looks"][0], "laid_while": None}]})
        np.testing.assert_array_equal(always[0], plain[0])

    def test_with_a_spacing_parts_end_where_the_frames_do(self) -> None:
        """In a group since 0.5 s, for good: what was laid before that is missing."""
        late = compare("time_in_group", "at_least", 0.5)
        raw = trailing(speed=2.0, seconds=1.5, look={"spacing": 0.01, "length": {"kind": "by_points", "points": 2000}, "laid_while": late})
        (line,) = lines(raw)
        self.assertAlmostEqual(length_of(line), 2.0 * (1.0 + 1 / 24), delta=0.03)


class Anew(unittest.TestCase):
    def cut(self, outlive: Any = 0.0, **clock: Any) -> Document:
        """One at 2 m/s that begins a new trail at the age of a second."""
        begin = rule({"kind": "begin_trail"}, trigger="once", condition=compare("age", "at_least", 1.0))
        look = {"length": {"kind": "by_time", "seconds": 9.0}, "outlive": outlive, "fading": {"keys": [{"at": 0.0, "value": 1.0}]}}
        return trailing(begin, speed=2.0, seconds=1.5, look=look, **clock)

    def test_what_was_laid_goes_or_stays_where_it_is(self) -> None:
        for fps, steps in RATES:
            (line,) = lines(self.cut(fps=fps, steps=steps))
            self.assertAlmostEqual(length_of(line), 1.0, delta=2.0 / fps / steps + 1e-3)
            raw = self.cut(2.0, fps=fps, steps=steps)
            new, old = lines(raw)
            # They meet where it was then, and are the whole way together.
            np.testing.assert_allclose(old[0, :3], new[-1, :3], atol=1e-4)
            self.assertAlmostEqual(length_of(new) + length_of(old), 3.0, places=3)
            drawn = layers(moment_of(raw))[0]
            self.assertEqual(drawn.id.tolist(), [0, 0])
            began = 1.5 - length_of(new) / 2
            solid = int(drawn.color[drawn.extra["starts"][1] + 2, 3])
            self.assertAlmostEqual(solid, 255 * (1 - (1.5 - began) / 2), delta=2)

    def test_again_and_again(self) -> None:
        """Once a second: as many parts as there were, one after another, the newest first."""
        begin = rule({"kind": "begin_trail"}, condition={"kind": "formula", "text": "age % 1 < 0.02"})
        raw = trailing(begin, speed=2.0, seconds=4.5, look={"length": {"kind": "by_time", "seconds": 9.0}, "outlive": 100.0})
        self.assertEqual([round(length_of(line), 1) for line in lines(raw)], [1.0, 2.0, 2.0, 2.0, 2.0])

    def test_another_group_of_the_same_look_keeps_the_trail(self) -> None:
        into = rule({"kind": "move", "group": "b"}, trigger="once", who=["a"], condition=compare("age", "at_least", 1.0))
        look = {"who": ["a", "b"], "length": {"kind": "by_time", "seconds": 9.0}}
        raw = trailing(into, speed=1.0, seconds=2.0, groups=["a", "b", "c"], look=look)
        (line,) = lines(raw)
        self.assertAlmostEqual(length_of(line), 2.0, places=3)

    def test_without_a_trail_it_changes_nothing_else(self) -> None:
        with_it, without = self.cut(), self.cut()
        without["rules"][0]["enabled"] = False
        one, other = (moment_of(raw) for raw in (with_it, without))
        for name in ("position", "velocity", "age"):
            np.testing.assert_array_equal(one.column(name), other.column(name))


class Budgets(unittest.TestCase):
    def test_the_longest_are_cut_and_as_little_as_need_be(self) -> None:
        choose = random.Random(4)
        for _ in range(200):
            points = np.array([choose.randrange(0, 300) for _ in range(choose.randint(1, 40))], np.float32)
            budget = choose.randint(100, 6000)
            cap = bounded(points, budget)
            self.assertTrue(cap == 2 or np.minimum(points, cap).sum() <= budget)
            self.assertTrue(cap >= points.max() or np.minimum(points, cap + 1).sum() > budget)
        self.assertEqual(bounded(np.full(7, np.inf, np.float32), 100), 14)

    def test_the_budget_is_kept_and_told(self) -> None:
        raw = trailing(
            look={"length": {"kind": "by_points", "points": 40}, "budget": 1000},
            count=50,
            speed={"kind": "spread", "value": 2.0, "spread": 1.0},
        )
        head = layers(moment_of(raw))[0].head()
        self.assertEqual((head["lines"], head["cut"], head["wanted"]), (50, 20, 40))
        self.assertLessEqual(head["bytes"], 1000 * 20)

    def test_what_could_not_be_laid_yet_is_not_told_as_cut(self) -> None:
        """25 of 50 000 points each were told as cut, 40 frames after they had begun."""
        raw = trailing(look={"length": {"kind": "by_points", "points": 50_000}, "budget": 3000}, count=25)
        whole = trailing(look={"length": {"kind": "by_points", "points": 50_000}, "budget": 1_000_000}, count=25)
        moment = moment_of(raw)
        cut, free = layers(moment)[0], layers(moment_of(whole))[0]
        self.assertEqual((cut.head()["cut"], cut.head()["needed"]), (0, 25 * (moment.frame + 2)))
        self.assertLessEqual(cut.head()["needed"], 3000)
        np.testing.assert_array_equal(cut.arrays()["points"], free.arrays()["points"])

    def test_a_budget_of_gigabytes_is_refused_in_words(self) -> None:
        from hailridge.model.validation import DocumentError

        with self.assertRaisesRegex(DocumentError, "budget.*cannot be above 4e\\+06"):
            read_effect(trailing(look={"budget": 500_000_000}))

    def test_steps_are_recorded_only_where_trails_ask_for_them(self) -> None:
        from hailridge.store.bakes import bake_key

        raw = trailing(steps=4)
        traced = read_effect(raw)
        raw["looks"] = []
        plain = read_effect(raw)
        self.assertNotEqual(bake_key(traced), bake_key(plain))
        self.assertIsInstance(traced.looks[0], Trails)
        raw["looks"] = [{"kind": "balls", "id": "b"}]
        self.assertEqual(bake_key(read_effect(raw)), bake_key(plain))


if __name__ == "__main__":
    unittest.main()
