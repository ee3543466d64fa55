"""Sliding and rolling along shapes, against handbook mechanics: inclines, bowls, domes, edges, moving and changing shapes."""

from __future__ import annotations

import math
import unittest
from typing import Any

import numpy as np
from scipy.spatial.transform import Rotation

from hailridge.core.scene.assets import MemoryAssets
from hailridge.core.scene.plan import Plan
from hailridge.model.kind import kinds
from hailridge.model.validation import read_effect
from tests.support import PLANE, Document, compare, document, moment_of, rule, run, track

GRAVITY = rule({"kind": "gravity", "acceleration": 9.81})
RADIUS = 0.05
RATES = ({"frames_per_second": 24.0}, {"frames_per_second": 60.0}, {"frames_per_second": 24.0, "steps_per_frame": 3})


def slide(shape: str = "plane", **changes: Any) -> Document:
    return rule({"kind": "slide", "shape": shape, "friction": 0.0} | changes, id="slide")


def roll(shape: str = "plane", **changes: Any) -> Document:
    return rule({"kind": "roll", "shape": shape, "friction": 0.0, "bounciness": 0.0} | changes, id="roll")


def on_incline(answer: Document, degrees: float, **changes: Any) -> Document:
    """One particle that lies on a plane turned about z."""
    angle = math.radians(degrees)
    above = [-math.sin(angle) * RADIUS, math.cos(angle) * RADIUS, 0.0]
    clock = {"duration": 1.0} | changes.pop("clock", {})
    return document(GRAVITY, answer, position=above, shapes=[PLANE | {"rotation": [0.0, 0.0, degrees]}], clock=clock, **changes)


def ball(radius: float = 1.0, **changes: Any) -> Document:
    return {"kind": "ball", "id": "dome", "label": "Dome", "radius": radius} | changes


class Incline(unittest.TestCase):
    """Handbook mechanics: sliding a = g (sin θ − μ cos θ), nothing while tan θ ≤ μ; a solid ball that rolls 5/7 of g sin θ, ω = v ÷ r."""

    def gone(self, raw: Document) -> Any:
        path = track(run(raw), "position")
        return np.linalg.norm(path - path[0], axis=1)

    def test_slides(self) -> None:
        for clock in RATES:
            for degrees, friction in ((20.0, 0.1), (35.0, 0.3), (50.0, 0.0), (80.0, 0.12)):
                with self.subTest(clock, degrees=degrees):
                    angle = math.radians(degrees)
                    expected = 0.5 * 9.81 * (math.sin(angle) - friction * math.cos(angle))
                    gone = self.gone(on_incline(slide(friction=friction), degrees, clock=clock))
                    self.assertAlmostEqual(gone[-1], expected, delta=0.02 * expected)

    def test_stays_and_under_a_ceiling_too(self) -> None:
        for degrees, spare in ((10.0, 1.01), (25.0, 1.01), (40.0, 1.01), (175.0, 3.0)):
            angle = math.radians(degrees)
            friction = abs(math.tan(angle)) * spare
            onto = {"axis": [math.sin(angle), -math.cos(angle), 0.0], "speed": 1.0}
            self.assertLess(self.gone(on_incline(slide(friction=friction), degrees, **onto))[-1], 2e-3)

    def test_comes_to_rest(self) -> None:
        """On level ground v² ÷ 2 μ g, to the millimetre at any rate: the last piece ends where it stops."""
        for clock in RATES:
            raw = on_incline(slide(friction=0.3), 0.0, speed=2.0, axis=[1.0, 0.0, 0.0], clock=clock)
            self.assertAlmostEqual(self.gone(raw)[-1], 4.0 / (2 * 0.3 * 9.81), delta=0.004)

    def test_rolls(self) -> None:
        for clock in RATES:
            for answer in (roll(), slide(turning="rolling")):
                with self.subTest(clock, answer=answer["id"]):
                    raw = on_incline(answer, 30.0, clock=clock)
                    frames = run(raw)
                    gone = self.gone(raw)
                    self.assertAlmostEqual(gone[-1], 0.5 * 5 / 7 * 9.81 * 0.5, delta=0.02)
                    last = frames[-1].columns
                    speed = float(np.linalg.norm(last["velocity"][0]))
                    self.assertAlmostEqual(float(np.linalg.norm(last["spin"][0])), speed / RADIUS, delta=0.01 * speed / RADIUS)
                    # Turned by the way that it came, ÷ r, about the axis across it: downhill is −x.
                    begun = 3
                    path = track(frames, "position")
                    turn = Rotation.from_quat(last["orientation"][0]) * Rotation.from_quat(frames[begun].columns["orientation"][0]).inv()
                    angle = float(np.linalg.norm(path[-1] - path[begun])) / RADIUS
                    expected = Rotation.from_rotvec([0.0, 0.0, angle])
                    self.assertLess((turn * expected.inv()).magnitude(), 0.02)

    def test_rolls_though_nobody_touches_the_first_of_two_shapes(self) -> None:
        raw = on_incline(roll(), 30.0)
        far = {"kind": "plane", "id": "far", "label": "Far", "position": [0.0, -50.0, 0.0]}
        alone = run(raw)[-1].columns["spin"][0]
        # Its rule comes first, too.
        both = raw | {"shapes": [far, *raw["shapes"]], "rules": [roll("far") | {"id": "other"}, *raw["rules"]]}
        np.testing.assert_allclose(run(both)[-1].columns["spin"][0], alone, rtol=1e-5)
        self.assertGreater(float(np.linalg.norm(alone)), 10.0)

    def test_rolling_resistance(self) -> None:
        """5/7 g (sin θ − c cos θ)."""
        angle = math.radians(30.0)
        expected = 0.5 * 5 / 7 * 9.81 * (math.sin(angle) - 0.1 * math.cos(angle))
        for answer in (roll(friction=0.1), slide(turning="rolling", friction=0.1)):
            self.assertAlmostEqual(self.gone(on_incline(answer, 30.0))[-1], expected, delta=0.02)


class Curved(unittest.TestCase):
    def heights(self, raw: Document) -> Any:
        return track(run(raw), "position")

    def test_round_a_ball_inside_and_outside(self) -> None:
        """Never off and never in, and height for speed: v² ÷ 2 + g h stays (energy, handbook mechanics)."""
        tube = {"kind": "tube", "id": "dome", "label": "Dome", "radius": 1.0, "height": 4.0, "rotation": [90.0, 0.0, 0.0]}
        for shape in (ball(), tube):
            for inside in (False, True):
                for clock in RATES:
                    with self.subTest(shape["kind"], inside=inside, clock=clock):
                        far = 1.0 - RADIUS if inside else 1.0 + RADIUS
                        # Born beside the surface and thrown on it.
                        begin = [math.sin(0.6) * (far + (-0.01 if inside else 0.01)), math.cos(0.6) * (far + (-0.01 if inside else 0.01)), 0.0]
                        raw = document(GRAVITY, slide("dome"), position=begin, axis=[math.sin(0.6) * (1 if inside else -1), math.cos(0.6) * (1 if inside else -1), 0.0],
                            speed=1.0, shapes=[shape], clock={"duration": 3.0} | clock)  # fmt: skip
                        frames = run(raw)[2:]
                        path, velocity = track(frames, "position"), track(frames, "velocity")
                        off = np.linalg.norm(path[:, :2], axis=1)
                        np.testing.assert_allclose(off, far, atol=1e-4 if shape["kind"] == "ball" else 0.006)
                        energy = np.sum(velocity**2, axis=1) / 2 + 9.81 * path[:, 1]
                        self.assertLess(np.ptp(energy), 0.05 * 2 * 9.81)

    def test_an_edge_is_gone_round(self) -> None:
        """Over the edge of a box, down its side and onto its underside, always its radius off it, at the speed that it had."""
        box = {"kind": "box", "id": "dome", "label": "Box", "size": [1.0, 1.0, 1.0]}
        raw = document(slide("dome"), position=[0.0, 0.5 + RADIUS + 0.001, 0.0], axis=[1.0, -0.01, 0.0], speed=1.0, shapes=[box], clock={"duration": 4.0})
        frames = run(raw)
        path = track(frames, "position")
        outside = np.linalg.norm(np.maximum(np.abs(path) - 0.5, 0), axis=1)
        np.testing.assert_allclose(outside[2:], RADIUS, atol=2e-4)
        self.assertLess(path[:, 1].min(), -0.5)
        np.testing.assert_allclose(np.linalg.norm(track(frames, "velocity")[2:], axis=1), 1.0, atol=0.01)

    def test_the_corner_of_a_room(self) -> None:
        """From the floor into a wall: both are kept off, and what ran into the wall is lost."""
        room = {"kind": "box", "id": "dome", "label": "Room", "size": [2.0, 2.0, 2.0]}
        raw = document(GRAVITY, slide("dome"), position=[0.0, -1.0 + RADIUS + 0.001, 0.0], axis=[1.0, 0.0, 0.3], speed=2.0, shapes=[room],
            clock={"duration": 1.5})  # fmt: skip
        frames = run(raw)
        path = track(frames, "position")
        self.assertTrue((np.abs(path) <= 1.0 - RADIUS + 2e-4).all())
        self.assertAlmostEqual(path[-1, 0], 1.0 - RADIUS, delta=1e-3)
        self.assertLess(float(np.abs(track(frames, "velocity")[-1, :2]).max()), 0.3)
        self.assertAlmostEqual(float(track(frames, "velocity")[-1, 2]), 2.0 * 0.3 / math.hypot(1.0, 0.3), delta=0.05)


class Moving(unittest.TestCase):
    def test_at_rest_on_what_turns_it_goes_along(self) -> None:
        """Held by friction it keeps its place on a plane that turns and rises: |Δ| under a millimetre a second of motion."""
        table = PLANE | {"rotation": {"keys": [{"at": 0.0, "value": [0.0, 0.0, 0.0], "ease": "linear"}, {"at": 2.0, "value": [0.0, 90.0, 5.0], "ease": "linear"}]}}
        raw = document(GRAVITY, slide(friction=2.0), position=[0.5, RADIUS, 0.0], shapes=[table])
        frames, plan = run(raw), Plan(read_effect(raw), MemoryAssets())
        places = np.array([plan.at(frame.time).pose("plane").transform.inverse().points(frame.columns["position"])[0] for frame in frames])
        np.testing.assert_allclose(places[:, 1], RADIUS, atol=1e-4)
        self.assertLess(np.abs(places - places[2]).max(), 0.02)

    def test_without_friction_it_stays_where_it_is(self) -> None:
        """A table that turns and slides under it takes nothing along: inertia."""
        table = PLANE | {"rotation": {"keys": [{"at": 0.0, "value": [0.0, 0.0, 0.0], "ease": "linear"}, {"at": 2.0, "value": [0.0, 300.0, 0.0], "ease": "linear"}]}}
        frames = run(document(GRAVITY, slide(), position=[0.5, RADIUS, 0.0], shapes=[table]))
        self.assertLess(np.abs(track(frames, "position") - [0.5, RADIUS, 0.0]).max(), 0.03)

    def test_on_a_ball_that_grows(self) -> None:
        growing = ball(radius={"keys": [{"at": 0.0, "value": 1.0}, {"at": 2.0, "value": 1.6}]})
        raw = document(GRAVITY, slide("dome", friction=0.1), position=[0.2, 1.1, 0.0], axis=[0.0, -1.0, 0.0], speed=1.0, shapes=[growing])
        frames, plan = run(raw), Plan(read_effect(raw), MemoryAssets())
        for frame in frames[4:]:
            known = plan.at(frame.time).pose("dome").geometry.ball
            assert known is not None
            self.assertAlmostEqual(float(np.linalg.norm(frame.columns["position"][0])), known[1] + RADIUS, delta=1e-3)


class LettingGo(unittest.TestCase):
    def drops(self, *rules: Document, **changes: Any) -> list[Any]:
        disc = {"kind": "disc", "id": "cloud", "label": "Cloud", "radius": 0.8, "position": [0.0, 2.0, 0.0]}
        source = {"shape": "cloud", "placement": {"kind": "surface"}}
        clock = {"duration": 3.0} | changes.pop("clock", {})
        return run(document(GRAVITY, slide("dome", friction=0.1), *rules, count=80, axis=[0.0, -1.0, 0.0], speed=1.0, source=source, shapes=[ball(), disc],
            clock=clock, **changes))  # fmt: skip

    def test_by_steepness(self) -> None:
        """At 90° they are let go, no earlier: where they first are off the ball, the normal is level (geometry)."""
        for clock in RATES:
            with self.subTest(clock):
                frames = self.drops(rule({"kind": "let_go"}, id="free", condition=compare("steepness", "above", 90.0)), clock=clock)
                before = None
                seen = 0
                for frame in frames:
                    sliding = dict(zip(frame.columns["id"].tolist(), (frame.columns["sliding"] > 0).tolist(), strict=True))
                    height = dict(zip(frame.columns["id"].tolist(), frame.columns["position"][:, 1].tolist(), strict=True))
                    if before is not None:
                        for who, was in before[0].items():
                            if was and not sliding[who]:
                                seen += 1
                                self.assertGreater(before[1][who], -0.01)
                    self.assertTrue(all(height[who] > -0.02 for who, is_sliding in sliding.items() if is_sliding))
                    before = (sliding, height)
                self.assertGreater(seen, 60)

    def test_by_pull(self) -> None:
        """0.02 kg under 9.81 m/s² pull 0.098 N off a surface of 120°: m g cos 60°."""
        source_mass = {"kind": "set", "attribute": "mass", "amount": 0.02}
        frames = self.drops(rule(source_mass, trigger="birth", id="light"), rule({"kind": "let_go"}, id="free", condition=compare("pull_away", "above", 0.0981)))
        lowest = min(frame.columns["position"][frame.columns["sliding"] > 0, 1].min() for frame in frames if (frame.columns["sliding"] > 0).any())
        self.assertAlmostEqual(lowest / (1.0 + RADIUS), -0.5, delta=0.1)
        self.assertLess(lowest / (1.0 + RADIUS), -0.4)

    def test_falls_and_does_not_hang_on_anew(self) -> None:
        frames = self.drops(rule({"kind": "let_go"}, id="free", condition=compare("steepness", "above", 90.0)))
        last = frames[-1].columns
        self.assertTrue((last["sliding"] <= 0).sum() > 70)
        self.assertLess(float(np.median(last["position"][:, 1])), -3.0)

    def test_who_has_come_off_slides_again_where_it_comes_back(self) -> None:
        """Thrown up at 3 m/s it is back after 2 v / g = 0.61 s (handbook mechanics)."""
        for clock in RATES:
            with self.subTest(clock):
                up = rule({"kind": "let_go"}, {"kind": "set", "attribute": "velocity", "amount": [0.0, 3.0, 0.0]}, trigger="once", id="up",
                    condition=compare("age", "at_least", 0.25))  # fmt: skip
                frames = run(on_incline(slide(), 0.0, clock=clock | {"duration": 1.2}) | {"rules": [GRAVITY, slide(), up]})
                held = {round(frame.time, 2): float(frame.columns["sliding"][0]) > 0 for frame in frames}
                self.assertEqual([held[min(held, key=lambda at: abs(at - time))] for time in (0.2, 0.5, 0.8, 1.2)], [True, False, False, True])

    def test_a_rule_that_ends_frees_them(self) -> None:
        held = slide("dome", friction=0.1) | {"condition": compare("age", "below", 1.5)}
        raw = document(GRAVITY, held, position=[0.3, 1.2, 0.0], shapes=[ball()], clock={"duration": 3.0})
        frames = run(raw)
        self.assertTrue(frames[30].columns["sliding"][0] > 0)
        self.assertEqual(int(frames[40].columns["sliding"][0]), 0)


class Facts(unittest.TestCase):
    def test_pulls_on_a_slope(self) -> None:
        """m g sin θ along, −m g cos θ off: pressed on (handbook mechanics); and which shape was touched last."""
        asked = rule({"kind": "set", "attribute": "opacity", "amount": 1.0}, id="asked", condition={"kind": "all", "conditions": [
            compare("pull_along", "above", 0.0), compare("pull_away", "below", 0.0), {"kind": "holds", "quantity": {"kind": "touched_last", "shape": "plane"}}]})  # fmt: skip
        raw = on_incline(slide(friction=0.1), 30.0) | {"rules": [GRAVITY, slide(friction=0.1), asked]}
        moment = moment_of(raw)
        weight = 9.81 * float(moment.column("mass")[0])
        for kind, expected in (("pull_along", weight * 0.5), ("pull_away", -weight * math.cos(math.radians(30.0)))):
            read = kinds("quantity")[kind](kind=kind).read(moment, slice(0, 1))  # type: ignore[attr-defined]
            self.assertAlmostEqual(float(read[0]), expected, delta=0.01 * weight)
        for kind in ("touched_last", "sliding"):
            self.assertTrue(bool(kinds("quantity")[kind](kind=kind, shape="plane").read(moment, slice(0, 1))[0]))  # type: ignore[attr-defined]


class Noticing(unittest.TestCase):
    def test_goes_through_and_is_told_once(self) -> None:
        """A ball of 1 m on a straight way: the touch at the distance of both radii, one event, touching until it is out again."""
        for clock in RATES:
            raw = document(rule({"kind": "notice", "shape": "dome"}), position=[-4.0, 0.0, 0.0], axis=[1.0, 0.0, 0.0], speed=4.0, shapes=[ball()], clock=clock)
            frames = run(raw)
            path = track(frames, "position")
            np.testing.assert_allclose(path[:, 0], -4.0 + 4.0 * np.array([frame.time for frame in frames]), atol=1e-4)
            self.assertEqual(int(frames[-1].columns["contact_count"][0]), 1)
            touching = np.array([int(frame.columns["touching"][0]) != 0 for frame in frames])
            within = np.abs(path[:, 0]) < 1.0 + RADIUS
            # The frame in which it goes out tells that it touched within the last step.
            self.assertTrue((touching[within]).all())
            self.assertLessEqual(int((touching & ~within).sum()), 1)

    def test_a_passing_ball_turns_and_stops_them(self) -> None:
        """Still particles are touched by a ball that it does not hinder; a rule on contact acts where and when it happens."""
        passing = ball(0.5, position={"keys": [{"at": 0.0, "value": [-3.0, 0.0, 0.0], "ease": "linear"}, {"at": 1.0, "value": [3.0, 0.0, 0.0], "ease": "linear"}]})
        raw = document(rule({"kind": "notice", "shape": "dome"}), rule({"kind": "set", "attribute": "velocity", "amount": [0.0, 1.0, 0.0]}, trigger="contact", id="up"),
            count=1, position=[0.6, 0.0, 0.0], shapes=[passing])  # fmt: skip
        path = track(run(raw), "position")
        # Touched when the ball's centre is 0.55 m before it: at (0.05 + 3) ÷ 6 s, to the instant, whatever the frames are.
        begun = 3.05 / 6
        expected = np.maximum(0.0, np.arange(len(path)) / 24.0 - begun)
        np.testing.assert_allclose(path[:, 1], expected, atol=2e-3)

    def test_many_pass_walls_alike(self) -> None:
        """Several shapes on one way within a step are all told, and what is solid behind them still stops them."""
        planes = [PLANE | {"id": f"sheet{n}", "label": f"Sheet {n}", "position": [0.0, -0.1 * n, 0.0]} for n in range(10)]
        notices = [rule({"kind": "notice", "shape": f"sheet{n}"}, id=f"n{n}") for n in range(10)]
        raw = document(*notices, rule({"kind": "bounce", "shape": "plane", "bounciness": 0.0, "friction": 5.0}), position=[0.0, 2.0, 0.0], axis=[0.0, -1.0, 0.0],
            speed=200.0, shapes=[*planes, PLANE | {"position": [0.0, -2.0, 0.0]}])  # fmt: skip
        last = run(raw)[-1].columns
        self.assertEqual(int(last["contact_count"][0]), 11)
        self.assertAlmostEqual(float(last["position"][0, 1]), -2.0 + RADIUS, delta=1e-3)


class Telling(unittest.TestCase):
    def bounces(self, **changes: Any) -> int:
        """A ball let fall from 2 m at e = 0.8 hits at 6.26, 5.01, 4.01, 3.21, 2.57, 2.05 m/s … (e times each: handbook mechanics)."""
        solid = rule({"kind": "bounce", "shape": "plane", "bounciness": 0.8, "friction": 0.0} | changes)
        raw = document(GRAVITY, solid, position=[0.0, 2.0 + RADIUS, 0.0], shapes=[PLANE], clock={"duration": 12.0})
        return int(run(raw)[-1].columns["contact_count"][0])

    def test_from_a_least_impact(self) -> None:
        self.assertEqual(self.bounces(least=2.2), 5)
        self.assertEqual(self.bounces(least=3.0), 4)
        self.assertEqual(self.bounces(least=7.0), 0)

    def test_at_most_so_often(self) -> None:
        """Falls take 0.64 s, then twice 0.51, 0.41 … each way: hits at 0.64, 1.66, 2.48, 3.13, 3.66, 4.08 … 5.75 s; of these the 1st, 3rd, 6th."""
        self.assertGreater(self.bounces(), 10)
        self.assertEqual(self.bounces(pause=100.0), 1)
        self.assertEqual(self.bounces(pause=1.5), 3)


if __name__ == "__main__":
    unittest.main()
