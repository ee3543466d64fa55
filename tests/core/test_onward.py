"""Going on from a recorded frame, what an edit leaves as it was, and frames that need none before them."""

from __future__ import annotations

import unittest
from typing import Any

import numpy as np

from hailridge.core.looking.affected import differ_from
from hailridge.core.scene.assets import MemoryAssets
from hailridge.core.step.simulation import Frame, Simulation
from hailridge.model.validation import read_effect
from tests.core.test_curves import keys
from tests.core.test_shapes import shape
from tests.support import PLANE, compare, document, rule, run

NEVER, ALWAYS = float("inf"), float("-inf")


def lively(**changes: Any) -> dict[str, Any]:
    """An effect with memory of every kind: contact, children, groups, approach, keyframes, turning."""
    return document(
        rule({"kind": "gravity"}, {"kind": "turbulence"}, {"kind": "wind", "gusts": 50.0}),
        rule({"kind": "bounce", "shape": "plane", "bounciness": 0.5}),
        rule({"kind": "move", "group": "b"}, trigger="becomes", condition=compare("age", "above", 0.4)),
        rule(
            {"kind": "approach", "attribute": "radius", "amount": 0.01, "time": 0.7, "springiness": 0.5},
            who=["b"],
        ),
        rule(
            {"kind": "spawn", "group": "b", "parent": "kept", "count": 2.0, "lifetime": 0.4},
            id="litter",
            trigger="once",
            condition=compare("age", "above", 0.6),
        ),
        groups=["a", "b"],
        position=[0.0, 1.0, 0.0],
        speed=3.0,
        shapes=[
            PLANE,
            shape("ball", position=keys((0, [0.0, 1.0, 0.0]), (1, [2.0, 1.0, 0.0]), (2, [2.0, 3.0, 0.0]))),
        ],
        **{
            "source": {
                "shape": "ball",
                "emission": {"kind": "rate", "rate": 60.0},
                "direction": {"kind": "any"},
                "spin": 90.0,
                "inherit": 50.0,
            },
            **changes,
        },
    )


class Resuming(unittest.TestCase):
    def same(self, ours: Frame, theirs: Frame) -> None:
        self.assertEqual(
            (ours.number, ours.count, ours.births, ours.deaths),
            (theirs.number, theirs.count, theirs.births, theirs.deaths),
        )
        self.assertEqual(ours.stand, theirs.stand)
        for name, column in theirs.columns.items():
            np.testing.assert_array_equal(ours.columns[name], column, err_msg=name)
        np.testing.assert_array_equal(ours.events, theirs.events)

    def test_the_same_bytes_from_any_frame(self) -> None:
        whole = run(lively())
        for start in (0, 1, 17, 40):
            later = Simulation(read_effect(lively()), MemoryAssets())
            later.resume(whole[start].columns, whole[start].count, whole[start].stand)
            for ours, theirs in zip(later.frames(), whole[start + 1 :], strict=True):
                self.same(ours, theirs)

    def test_what_differs_from_lets_the_frames_before_be(self) -> None:
        """Whatever is said to be the same up to a time is the same up to that time."""
        before = lively()
        moved_key = lively()
        moved_key["shapes"][2]["position"]["keys"][1]["value"] = [5.0, 1.0, 0.0]
        last_key = lively()
        last_key["shapes"][2]["position"]["keys"][2]["value"] = [2.0, 9.0, 0.0]
        stopped = lively()
        stopped["sources"][0]["emission"]["stop"] = 1.2
        second = lively()
        second["sources"].append(
            {
                **second["sources"][0],
                "id": "late",
                "label": "Late",
                "emission": {"kind": "burst", "count": 5, "time": 1.0},
            }
        )
        later = lively()
        later["sources"].append(
            {**second["sources"][1], "emission": {"kind": "burst", "count": 9, "time": 1.5}}
        )
        shorter = lively(clock={"duration": 1.0})
        cases = [
            (before, before, NEVER),
            (before, moved_key, 0.0),
            (before, last_key, 1.0),
            (before, stopped, 1.2),
            (before, second, 1.0),
            (second, later, 1.0),
            (before, shorter, 1.0),
        ]
        for first, other, expected in cases:
            a, b = read_effect(first), read_effect(other)
            until = differ_from(a, b)
            self.assertEqual(until, differ_from(b, a))
            self.assertTrue(until == expected or abs(until - expected) < 1e-9, until)
            frames = zip(run(a), run(b), strict=False)
            for ours, theirs in frames:
                if ours.time <= until:
                    self.same(ours, theirs)

    def test_what_may_differ_from_the_start(self) -> None:
        before = read_effect(lively())
        for change in (
            {"clock": {"duration": 2.0, "seed": 2}},
            {"clock": {"duration": 2.0, "pre_roll": 1.0}},
            {"source": {"shape": "ball", "emission": {"kind": "rate", "rate": 61.0}}},
            {"rules": []},
        ):
            self.assertEqual(differ_from(before, read_effect({**lively(), **{}} | lively(**change))), ALWAYS)

    def test_labels_and_colours_change_nothing(self) -> None:
        raw = lively()
        raw["groups"][0] |= {"label": "Other", "color": "#ffffff"}
        raw["shapes"][0]["visible"] = False
        self.assertEqual(differ_from(read_effect(lively()), read_effect(raw)), NEVER)


class WithoutHistory(unittest.TestCase):
    def drifting(self, **changes: Any) -> dict[str, Any]:
        drift = {"kind": "drift", "travel": 0.4, "own_turning": 60.0, "jitter": 0.02}
        return document(
            rule(drift),
            shapes=[shape("ball", radius=1.0)],
            source={
                "shape": "ball",
                "placement": {"kind": "inside"},
                "emission": {"kind": "rate", "rate": 200.0},
                "lifetime": {"kind": "spread", "value": 0.6, "spread": 0.3},
                **changes,
            },
        )

    def test_any_frame_at_once(self) -> None:
        effect = read_effect(self.drifting())
        frames = run(effect)
        self.assertTrue(Simulation(effect, MemoryAssets()).plan.without_history)
        for number in (0, 13, 48):
            alone = Simulation(effect, MemoryAssets())
            alone.frame = number - 1
            made = alone.next_frame()
            assert made is not None
            self.assertEqual((made.number, made.count), (number, frames[number].count))
            for name, column in frames[number].columns.items():
                np.testing.assert_array_equal(made.columns[name], column, err_msg=name)

    def test_ids_stay_and_lives_end(self) -> None:
        frames = run(read_effect(self.drifting()))
        first = {
            int(i): place
            for i, place in zip(frames[20].columns["id"], frames[20].columns["birthplace"], strict=True)
        }
        for i, place in zip(frames[24].columns["id"], frames[24].columns["birthplace"], strict=True):
            if int(i) in first:
                np.testing.assert_array_equal(place, first[int(i)])
        self.assertTrue((frames[-1].columns["age"] < frames[-1].columns["lifetime"]).all())
        # Births add up to the rate; who is not there any more has left.
        born, left = sum(frame.births for frame in frames), sum(frame.deaths for frame in frames)
        self.assertEqual(born, 400)
        self.assertGreater(left, 150)

    def test_what_has_history(self) -> None:
        self.assertFalse(Simulation(read_effect(lively()), MemoryAssets()).plan.without_history)
        raw = self.drifting()
        raw["rules"].append(rule({"kind": "gravity"}, id="fall"))
        self.assertFalse(Simulation(read_effect(raw), MemoryAssets()).plan.without_history)


if __name__ == "__main__":
    unittest.main()
