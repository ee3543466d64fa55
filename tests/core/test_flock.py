"""Flocks: each urge by its formula, how the force is handed out, and what a flock does as a whole."""

from __future__ import annotations

import unittest
from itertools import pairwise
from typing import Any

import numpy as np

from hailridge.core.kernels import steering
from hailridge.core.kinds.urges.base import RESPONSE, Flock
from hailridge.core.looking.observe import recorded_moment
from hailridge.core.scene.assets import MemoryAssets
from hailridge.core.scene.moment import Moment
from hailridge.core.scene.plan import Plan
from hailridge.model.kind import kinds
from hailridge.model.validation import read_effect
from tests.support import Document, compare, document, rule, run

BALL: Document = {"kind": "ball", "id": "goal", "label": "Goal", "radius": 0.5, "position": [4.0, 0.0, 0.0]}
BOX: Document = {"kind": "box", "id": "box", "label": "Box", "size": [3.0, 3.0, 3.0]}
MATES: Document = {"id": "mates", "label": "Mates", "reach": 2.0, "most": 7}


def steer(*urges: Document, **changes: Any) -> Document:
    return {"kind": "steer", "neighbourhood": "mates", "urges": list(urges), "pace": 2.0, "force": 6.0} | changes


def scene(places: Any, velocities: Any, *urges: Document, **changes: Any) -> tuple[Moment, Flock, list[Any]]:
    """A moment of particles that steer by these urges, what the urges are told, and the urges."""
    hood = MATES | changes.pop("hood", {})
    raw = document(rule(steer(*urges), id="fly"), count=len(places), groups=["a", "b"], neighbourhoods=[hood], shapes=[BALL, BOX], **changes)
    effect = read_effect(raw)
    assert not effect.problems, effect.problems
    columns = {name: column.copy() for name, column in run(effect, 0)[0].columns.items()}
    columns["position"][:], columns["velocity"][:] = places, velocities
    moment = recorded_moment(Plan(effect, MemoryAssets()), columns, len(places), 0)
    number = len(places)
    flock = Flock(
        moment, moment.everyone(), "mates", np.full(number, 2, np.float32), np.full(number, 6, np.float32), np.array([0, 1, 0], np.float32)
    )  # fmt: skip
    return moment, flock, list(moment.scene.rules[0].rule.actions[0].urges)  # type: ignore[attr-defined]


class Formulas(unittest.TestCase):
    """Sources: Reynolds 1987 (keep apart, match, gather), Reynolds 1999 (seek, flee, arrive, pursue, path, leader, obstacles)."""

    def wants(self, places: Any, velocities: Any, urge: Document, **changes: Any) -> Any:
        _moment, flock, urges = scene(np.array(places, float), np.array(velocities, float), urge, **changes)
        return urges[0].wants(flock)

    def test_seek_flee_and_arrive(self) -> None:
        still = [[0, 0, 0.0], [3.5, 0, 0]]
        standing = [[0, 0, 0.0], [0, 0, 0]]
        seek = self.wants(still, standing, {"kind": "seek", "shape": "goal"})
        np.testing.assert_allclose(seek, np.array([[2, 0, 0], [2, 0, 0]]) / RESPONSE, rtol=1e-5)
        moving = self.wants(still, [[2, 0, 0], [0, 1.0, 0]], {"kind": "seek", "shape": "goal"})
        np.testing.assert_allclose(moving, np.array([[0, 0, 0], [2, -1, 0]]) / RESPONSE, atol=1e-5)
        flee = self.wants(still, standing, {"kind": "flee", "shape": "goal", "within": 2.0})
        np.testing.assert_allclose(flee, np.array([[0, 0, 0], [-2, 0, 0]]) / RESPONSE, atol=1e-5)
        arrive = self.wants(still, standing, {"kind": "arrive", "shape": "goal", "slowing": 2.0})
        np.testing.assert_allclose(arrive, np.array([[2, 0, 0], [0.5, 0, 0]]) / RESPONSE, rtol=1e-5)

    def test_keep_apart_match_and_gather(self) -> None:
        places, velocities = [[0, 0, 0.0], [0.2, 0, 0], [0, 1.0, 0]], [[1, 0, 0.0], [0, 1, 0], [0, 0, 1]]
        apart = self.wants(places, velocities, {"kind": "keep_apart", "distance": 0.4})
        np.testing.assert_allclose(apart, [[-3, 0, 0], [3, 0, 0], [0, 0, 0]], atol=1e-5)
        match = self.wants(places, velocities, {"kind": "match"})
        np.testing.assert_allclose(match[0], (2 * np.array([0, 1, 1]) / np.sqrt(2) - [1, 0, 0]) / RESPONSE, rtol=1e-5)
        gather = self.wants(places, velocities, {"kind": "gather"})
        np.testing.assert_allclose(gather[0], np.array([0.1, 0.5, 0]) * 6 / 2, rtol=1e-5)
        # Only so many, the nearest first, and only ahead.
        nearest = self.wants(places, velocities, {"kind": "gather"}, hood={"most": 1})
        np.testing.assert_allclose(nearest[0], np.array([0.2, 0, 0]) * 6 / 2, rtol=1e-5)
        ahead = self.wants(places, velocities, {"kind": "gather"}, hood={"angle": 90.0})
        np.testing.assert_allclose(ahead[0], np.array([0.2, 0, 0]) * 6 / 2, rtol=1e-5)

    def test_pursue_meets_and_a_leader_is_followed_from_behind(self) -> None:
        places, velocities = [[0, 0, 0.0], [3.0, 0, 0]], [[0, 0, 0.0], [0, 2.0, 0]]
        pursue = self.wants(places, velocities, {"kind": "pursue"})[0] * RESPONSE
        # 3 m away at a pace of 2 m/s: where it will be in 1.5 s.
        np.testing.assert_allclose(pursue, 2 * np.array([3, 3, 0]) / np.sqrt(18), rtol=1e-5)
        follow = self.wants(places, velocities, {"kind": "follow_leader", "behind": 0.5})[0] * RESPONSE
        np.testing.assert_allclose(follow, 2 * np.array([3, -0.5, 0]) / np.sqrt(9.25), rtol=1e-5)

    def test_obstacles_edges_heights_and_paths(self) -> None:
        avoid = {"kind": "avoid", "shape": "goal", "distance": 2.0}
        wanted = self.wants([[2.5, 0.1, 0.0], [2.5, 0.1, 0], [0, 0, 0]], [[1, 0, 0.0], [-1, 0, 0], [1, 0, 0]], avoid)
        self.assertTrue(wanted[0, 1] > 1 and np.abs(wanted[1:]).max() == 0, "only of what it comes toward, from near by, and past it")
        self.assertLessEqual(wanted[0, 0], 0)
        stay = self.wants([[0, 0, 0.0], [1.4, 0, 0]], [[1, 0, 0.0], [1, 0, 0]], {"kind": "stay_within", "shape": "box", "ahead": 0.5})
        np.testing.assert_allclose(stay, np.array([[0, 0, 0], [-3, 0, 0]]) / RESPONSE, atol=1e-5)
        height = self.wants([[0, 1, 0.0], [0, 3, 0]], [[1, 0, 0.0], [0, -1.0, 0]], {"kind": "keep_height", "height": 2.0})
        np.testing.assert_allclose(height, [[0, 2.25, 0], [0, -2.25 + 3, 0]], atol=1e-5)
        way = {"kind": "path", "id": "way", "label": "Way", "points": [[-5.0, 1.0, 0.0], [5.0, 1.0, 0.0]], "smooth": False}
        raw = document(rule(steer({"kind": "follow_path", "shape": "way", "within": 0.3}), id="fly"), speed=2.0, axis=[1.0, 0.0, 0.0],
            neighbourhoods=[MATES], shapes=[way], clock={"duration": 4.0})  # fmt: skip
        heights = [float(frame.columns["position"][0, 1]) for frame in run(raw)]
        self.assertTrue(all(0.65 < height < 1.35 for height in heights[60:]), heights[60:])
        field = {"kind": "falloff", "id": "f", "label": "F", "shape": "box", "inner": -1.0, "outer": 1.0}
        raw = document(rule(steer({"kind": "stay_in_field", "field": "f"}), id="fly"), speed=1.0, axis=[1.0, 0.0, 0.0],
            neighbourhoods=[MATES], shapes=[BOX], fields=[field], clock={"duration": 8.0})  # fmt: skip
        self.assertLess(max(abs(frame.columns["position"][0]).max() for frame in run(raw)), 2.5)


class HandingOut(unittest.TestCase):
    def test_from_top_to_bottom(self) -> None:
        """Reynolds 1987, prioritised acceleration allocation: requests are added until the largest force is reached, the last one trimmed."""
        up, side = {"kind": "keep_height", "height": 1.0, "weight": 2.0}, {"kind": "seek", "shape": "goal", "weight": 0.5}
        for sharing in ("in_order", "in_proportion"):
            raw = document(rule(steer(up, side, sharing=sharing), id="fly"), neighbourhoods=[MATES], shapes=[BALL], clock={"frames_per_second": 240.0})
            frame = run(raw, 1)[1]
            gained = frame.columns["velocity"][0] * 240
            wants = [4.5, 0.5 * 2.0 / float(RESPONSE)]
            if sharing == "in_order":
                np.testing.assert_allclose(gained, [1.5, 4.5, 0], atol=0.02)
                got = [0.75, 0.25]
            else:
                total = np.hypot(*wants)
                np.testing.assert_allclose(gained, [6 * wants[1] / total, 6 * wants[0] / total, 0] if total > 6 else [wants[1], wants[0], 0], atol=0.02)
                got = [want / max(total, 6) for want in wants]
            shares = list(frame.urges.values())
            np.testing.assert_allclose([share[1] for share in shares], got, atol=0.01)
            np.testing.assert_allclose([share[0] for share in shares], np.array(wants) / 6, atol=0.01)
            self.assertEqual(list(frame.urges), ["rules/fly/actions/0/urges/0", "rules/fly/actions/0/urges/1"])

    def test_never_more_than_the_largest_force(self) -> None:
        places, velocities = np.random.default_rng(3).random((200, 3)) * 2, np.random.default_rng(4).normal(size=(200, 3))
        urges: list[Document] = [{"kind": "keep_apart"}, {"kind": "match", "weight": 5.0}, {"kind": "gather"}, {"kind": "wander"}]
        for sharing in ("in_order", "in_proportion"):
            _moment, _flock, _urges = scene(places, velocities, *urges)
            raw = document(rule(steer(*urges, sharing=sharing, force=3.0), id="fly"), count=200, neighbourhoods=[MATES], shapes=[BOX],
                speed=1.0, source={"shape": "box", "placement": {"kind": "inside"}, "direction": {"kind": "any"}},
                clock={"frames_per_second": 100.0, "duration": 0.2})  # fmt: skip
            frames = run(raw)
            gained = [np.linalg.norm(b.columns["velocity"] - a.columns["velocity"], axis=1) * 100 for a, b in pairwise(frames)]
            self.assertLessEqual(np.max(gained), 3.0 * 1.001)
            self.assertTrue(all(sum(got for _wanted, got in frame.urges.values()) <= 1.001 for frame in frames[1:]) or sharing == "in_proportion")


class Kernels(unittest.TestCase):
    """What is done in one pass, against NumPy in float64 (Reynolds 1987: prioritised allocation)."""

    def test_a_force_is_handed_out(self) -> None:
        rng = np.random.default_rng(5)
        force = rng.uniform(0, 8, 500).astype(np.float32)
        force[::50] = 0
        left, total = force.copy(), np.zeros((500, 3), np.float32)
        over, sums = force.astype(np.float64), np.zeros((500, 3))
        asked, given = np.empty(500, np.float32), np.empty(500, np.float32)
        for weight in (0.5, 1.0, 3.0):
            wanted = rng.normal(scale=2.0, size=(500, 3)).astype(np.float32)
            wanted[::9] = 0
            steering.hand_out(500, wanted, np.float32(weight), force, left, total, asked, given)
            size = np.linalg.norm(wanted.astype(np.float64) * weight, axis=1)
            got = np.minimum(size, over)
            sums += wanted * weight * (got / np.maximum(size, 1e-9))[:, None]
            over -= got
            there = force > 0
            np.testing.assert_allclose(given[there], (got / np.maximum(force, 1e-9))[there], atol=1e-5)
            np.testing.assert_allclose(asked[there], (size / np.maximum(force, 1e-9))[there], rtol=1e-4, atol=1e-5)
        np.testing.assert_allclose(total, sums, atol=1e-4)
        np.testing.assert_allclose(left, over, atol=1e-4)
        self.assertLessEqual(float((np.linalg.norm(total, axis=1) - force).max()), 1e-4)

    def test_whoever_wanders_is_pushed_sideways_and_back_to_its_pace(self) -> None:
        rng = np.random.default_rng(6)
        velocities = rng.normal(size=(200, 3)).astype(np.float32)
        velocities[:5] = 0
        headings = np.empty_like(velocities)
        steering.directions(200, velocities, np.float32(1e-6), headings)
        np.testing.assert_allclose(np.linalg.norm(headings[5:], axis=1), 1, atol=1e-6)
        self.assertFalse(headings[:5].any())
        swings = rng.uniform(-1, 1, (200, 4)).astype(np.float32)
        pace, force = np.full(200, 2, np.float32), np.full(200, 5, np.float32)
        out = np.empty((200, 3), np.float32)
        steering.wander(200, swings, headings, velocities, pace, force, np.float32(0.3), out)
        speed = np.linalg.norm(velocities, axis=1)
        along = np.einsum("ij,ij->i", out, headings)
        # Along its way only the pace counts, across it only the swing.
        np.testing.assert_allclose(along[5:], ((2 - speed) / 0.3)[5:], atol=1e-4)
        side = swings[:, 1:] - headings * np.einsum("ij,ij->i", swings[:, 1:], headings)[:, None]
        np.testing.assert_allclose((out - along[:, None] * headings)[5:], 5 * side[5:], atol=1e-4)
        # Who stands sets off whichever way it swings.
        ways = swings[:5, 1:] / np.linalg.norm(swings[:5, 1:], axis=1, keepdims=True)
        np.testing.assert_allclose(out[:5], 5 * swings[:5, 1:] + ways * 2 / 0.3, rtol=1e-4)

    def test_each_has_a_line_of_its_own_through_the_noise(self) -> None:
        ids, out = np.arange(20_000, dtype=np.int32), np.empty((20_000, 3), np.float32)
        steering.lines(20_000, ids, np.float32(1.25), out)
        self.assertEqual(set(out[:, 1].tolist()), {1.25})
        self.assertEqual(len(np.unique(np.round(out[:, ::2], 4), axis=0)), 20_000)


class AsAWhole(unittest.TestCase):
    def flock(self, *urges: Document, **changes: Any) -> Any:
        source = {"shape": "box", "placement": {"kind": "inside"}, "direction": {"kind": "any"}}
        hood = MATES | {"reach": 4.0, "most": 0}
        raw = document(rule(steer(*urges), id="fly"), count=300, speed=2.0, shapes=[BOX, BALL], neighbourhoods=[hood], source=source, **changes)
        return run(raw)

    @staticmethod
    def order(frame: Any) -> float:
        """Vicsek's order parameter: the length of the mean direction (Vicsek et al. 1995)."""
        velocity = frame.columns["velocity"]
        return float(np.linalg.norm((velocity / np.linalg.norm(velocity, axis=1, keepdims=True)).mean(axis=0)))

    def test_order_rises_at_any_rate(self) -> None:
        for rate in (24.0, 60.0):
            frames = self.flock({"kind": "keep_apart"}, {"kind": "match"}, {"kind": "gather"}, clock={"duration": 5.0, "frames_per_second": rate})
            self.assertLess(self.order(frames[0]), 0.2)
            self.assertGreater(self.order(frames[-1]), 0.8)
            places = frames[-1].columns["position"]
            apart = np.linalg.norm(places[:, None] - places[None], axis=2) + 9 * np.eye(300)
            self.assertGreater(np.median(apart.min(axis=1)), 0.15)

    def test_a_new_flock_flies(self) -> None:
        """With what it begins with: they keep moving, at about their pace, and stay together."""
        default = kinds("action")["steer"].model_validate({"kind": "steer", "neighbourhood": "mates"})
        urges = [urge.model_dump() for urge in default.urges]  # type: ignore[attr-defined]
        frames = self.flock(*urges, clock={"duration": 6.0})
        speeds = np.linalg.norm(frames[-1].columns["velocity"], axis=1)
        self.assertTrue(1.0 < np.median(speeds) < 3.0, np.median(speeds))

    def test_a_starved_goal_is_told_and_mended_by_order(self) -> None:
        clutter: list[Document] = [{"kind": "keep_apart", "distance": 3.0, "weight": 30.0}]
        goal: Document = {"kind": "seek", "shape": "goal"}
        below, above = self.flock(*clutter, goal, clock={"duration": 0.5}), self.flock(goal, *clutter, clock={"duration": 0.5})
        self.assertLess(list(below[4].urges.values())[1][1], 0.3)
        self.assertGreater(next(iter(above[4].urges.values()))[1], 0.8)

    def test_goals_that_are_flown_past_are_told_with_what_helps(self) -> None:
        from hailridge.core.step.simulation import Simulation

        source = {"shape": "box", "placement": {"kind": "inside"}, "direction": {"kind": "any"}}
        told = []
        for urge in ("seek", "arrive"):
            raw = document(rule(steer({"kind": urge, "shape": "goal"}, pace=6.0), id="fly"), count=100, shapes=[BOX, BALL], neighbourhoods=[MATES],
                source=source, clock={"duration": 6.0})  # fmt: skip
            simulation = Simulation(read_effect(raw), MemoryAssets(), record=False)
            list(simulation.frames())
            told.append([finding.text for finding in simulation.findings if finding.code == "flies past"])
        self.assertIn("fly past it; a lower pace or more force", told[0][0])
        self.assertEqual(told[1], [])

    def test_bunching_at_a_goal_is_told_with_what_helps(self) -> None:
        """Weak and crowded around their goal they hardly move; with more force, as the sentence says, they do."""
        from hailridge.core.step.simulation import Simulation

        around: Document = {"kind": "ball", "id": "around", "label": "Around", "radius": 0.9, "position": [4.0, 0.0, 0.0]}
        source = {"shape": "around", "placement": {"kind": "inside"}, "direction": {"kind": "any"}, "speed": 0.2}
        urges: list[Document] = [{"kind": "keep_apart", "distance": 0.6}, {"kind": "seek", "shape": "goal"}]
        told = []
        for force in (0.4, 12.0):
            raw = document(rule(steer(*urges, pace=2.0, force=force), id="fly"), count=150, shapes=[around, BALL], neighbourhoods=[MATES],
                source=source, clock={"duration": 4.0})  # fmt: skip
            simulation = Simulation(read_effect(raw), MemoryAssets())
            frames = list(simulation.frames())
            speed = np.median(np.linalg.norm(frames[48].columns["velocity"], axis=1))
            told.append((speed, [finding.text for finding in simulation.findings if finding.code == "bunches up"]))
        self.assertIn("bunch up there and hardly move; more force", told[0][1][0])
        self.assertEqual(told[1][1], [])
        self.assertGreater(told[1][0], 1.5 * told[0][0])

    def test_resumed_and_on_any_number_of_threads(self) -> None:
        from hailridge.core.kernels import threads
        from hailridge.core.step.simulation import Simulation

        source = {"shape": "box", "placement": {"kind": "inside"}, "direction": {"kind": "any"}}
        urges: list[Document] = [{"kind": "keep_apart"}, {"kind": "match"}, {"kind": "gather"}, {"kind": "wander"}, {"kind": "seek", "shape": "goal"}]
        effect = read_effect(document(rule(steer(*urges)), count=4000, speed=2.0, shapes=[BOX, BALL], neighbourhoods=[MATES], source=source))
        whole, before = list(Simulation(effect, MemoryAssets()).frames(6)), threads.number_of_threads()
        try:
            threads.use_threads(1)
            again = Simulation(effect, MemoryAssets())
            again.resume(whole[3].columns, whole[3].count, whole[3].stand)
            np.testing.assert_array_equal(list(again.frames(6))[-1].columns["velocity"], whole[6].columns["velocity"])
        finally:
            threads.use_threads(before)


class Odd(unittest.TestCase):
    def test_without_urges_speed_or_up(self) -> None:
        for changes in ({}, {"pace": 0.0}, {"force": 0.0}, {"up": [0.0, 0.0, 0.0]}):
            urges: list[Document] = [] if not changes else [{"kind": "match"}, {"kind": "wander"}, {"kind": "keep_height"}]
            raw = document(rule(steer(*urges, **changes)), count=20, neighbourhoods=[MATES])
            frames = run(raw, 5)
            self.assertTrue(np.isfinite(frames[-1].columns["velocity"]).all())
            if not changes or changes.get("force") == 0.0:
                self.assertEqual(np.abs(frames[-1].columns["velocity"]).max(), 0)

    def test_a_goal_that_is_gone_leaves_out_its_rule_and_says_so(self) -> None:
        effect = read_effect(document(rule(steer({"kind": "seek", "shape": "gone"})), neighbourhoods=[MATES]))
        self.assertIn("there is no shape called 'gone'", effect.problems[0].text)
        self.assertIsNotNone(compare("speed", "above", 1.0))


if __name__ == "__main__":
    unittest.main()
