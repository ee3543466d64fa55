"""Keeping in and out: no recorded frame shows anybody where nobody is to be, whatever moves, is born or gives birth."""

from __future__ import annotations

import unittest
from typing import Any

import numpy as np

from hailridge import demo
from hailridge.core.scene.assets import MemoryAssets
from hailridge.core.scene.plan import Plan
from hailridge.core.step.simulation import Simulation
from hailridge.model.validation import read_effect
from tests.support import Document, document, rule, run

CAGE: Document = {
    "kind": "box", "id": "cage", "label": "Cage", "size": [2.0, 1.6, 1.2],
    "position": {"keys": [{"at": 0.0, "value": [0.0, 0.0, 0.0], "ease": "linear"}, {"at": 1.5, "value": [1.5, 0.4, 0.0], "ease": "linear"}]},
    "rotation": {"keys": [{"at": 0.0, "value": [0.0, 0.0, 0.0], "ease": "linear"}, {"at": 1.5, "value": [0.0, 80.0, 20.0], "ease": "linear"}]},
}  # fmt: skip


def keep(response: str, side: str = "outside", **changes: Any) -> Document:
    return rule({"kind": "keep", "response": response, "side": side, "shape": "cage"} | changes, id="keep")


def storm(last: Document, shape: Document = CAGE, **changes: Any) -> Document:
    """Born on a disc that lies half outside, blown about, with children thrown far."""
    disc = {"kind": "disc", "id": "mouth", "label": "Mouth", "radius": 1.4, "position": [0.2, 0.0, 0.0]}
    blow = rule({"kind": "turbulence", "strength": 40.0, "size": 0.6}, id="blow")
    litter = rule({"kind": "spawn", "count": 0.4, "per": "second", "group": "a", "parent": "kept", "speed": 4.0, "heading": "any", "around": 0.5, "lifetime": 5.0}, id="litter")
    source = {"shape": "mouth", "placement": {"kind": "surface"}, "emission": {"kind": "rate", "rate": 300.0}, "direction": {"kind": "any"}}
    return document(blow, litter, last, speed=2.0, source=source, shapes=[disc, shape], clock={"duration": 1.5} | changes)


class EveryFrame(unittest.TestCase):
    def outward(self, raw: Document) -> Any:
        """How far outside of the cage everybody is in each frame."""
        effect = read_effect(raw)
        self.assertEqual(effect.problems, [])
        plan, frames = Plan(effect, MemoryAssets()), run(raw)
        self.assertGreater(max(frame.count for frame in frames), 15)
        return [plan.at(frame.time).pose("cage").outward(frame.columns["position"]) for frame in frames if frame.count]

    def test_nobody_is_outside_of_a_cage_that_moves(self) -> None:
        for response in ("remove", "stop", "bounce", "wrap"):
            for rate, steps in ((24.0, 1), (60.0, 1), (24.0, 3)):
                with self.subTest(response, rate=rate, steps=steps):
                    for heights in self.outward(storm(keep(response), frames_per_second=rate, steps_per_frame=steps)):
                        self.assertLess(float(heights.max()), 2e-5)

    def test_nobody_is_inside_of_a_ball_that_moves(self) -> None:
        ball = CAGE | {"kind": "ball", "radius": 0.7}
        del ball["size"]
        for response in ("remove", "stop", "bounce"):
            with self.subTest(response):
                for heights in self.outward(storm(keep(response, "inside"), ball)):
                    self.assertGreater(float(heights.min()), -2e-5)


class Responses(unittest.TestCase):
    def one(self, *rules: Document, shape: Document, speed: float = 1.0, duration: float = 3.0, rate: float = 24.0) -> tuple[Any, Any]:
        raw = document(*rules, speed=speed, axis=[1.0, 0.0, 0.0], shapes=[shape], clock={"duration": duration, "frames_per_second": rate})
        self.assertEqual(read_effect(raw).problems, [])
        frames = run(raw)
        return np.array([frame.columns["position"][0] for frame in frames]), np.array([frame.columns["velocity"][0] for frame in frames])

    def test_round_to_the_other_side(self) -> None:
        """x = low + (v t − low) mod size."""
        box = {"kind": "box", "id": "cage", "label": "Cage", "size": [1.5, 1.0, 1.0]}
        places, speeds = self.one(keep("wrap"), shape=box, speed=1.3)
        times = np.arange(len(places)) / 24
        np.testing.assert_allclose(places[:, 0], -0.75 + np.mod(1.3 * times + 0.75, 1.5), atol=2e-5)
        np.testing.assert_allclose(speeds[:, 0], 1.3, rtol=1e-6)

    def test_held_at_the_border(self) -> None:
        box = {"kind": "box", "id": "cage", "label": "Cage", "size": [2.0, 2.0, 2.0]}
        drift = rule({"kind": "constant", "acceleration": [0.0, 0.2, 0.0]}, id="drift")
        places, speeds = self.one(drift, keep("stop"), shape=box)
        self.assertAlmostEqual(float(places[-1, 0]), 1.0, delta=3e-4)
        # Along the border it goes on: a t² / 2, and a t.
        self.assertAlmostEqual(float(places[-1, 1]), 0.1 * 9, delta=2e-3)
        np.testing.assert_allclose(speeds[-1], [0.0, 0.6, 0.0], atol=1e-3)

    def test_sent_back_with_what_speed_they_had(self) -> None:
        """Between two walls of a still cage speed stays, and only the way across turns round (law of reflection)."""
        cage = {"kind": "box", "id": "cage", "label": "Cage", "size": [2.0, 2.0, 2.0]}
        raw = document(keep("bounce"), axis=[0.6, 0.8, 0.0], speed=3.0, shapes=[cage], clock={"duration": 3.0})
        frames = run(raw)
        velocity = np.array([frame.columns["velocity"][0] for frame in frames])
        np.testing.assert_allclose(np.abs(velocity), np.tile([1.8, 2.4, 0.0], (len(frames), 1)), atol=1e-4)
        self.assertGreater(int((np.diff(np.sign(velocity[:, 1])) != 0).sum()), 2)
        for frame in frames:
            self.assertLessEqual(float(np.abs(frame.columns["position"]).max()), 1.0)

    def test_braked_only_there(self) -> None:
        """v = v₀ ½^(t / h) from where it leaves on, to the nearest step, at any rate."""
        box = {"kind": "box", "id": "cage", "label": "Cage", "size": [2.0, 2.0, 2.0]}
        for rate in (24.0, 96.0):
            _places, speeds = self.one(keep("brake", half_life=0.4), shape=box, rate=rate)
            times = np.arange(len(speeds)) / rate
            np.testing.assert_allclose(speeds[times < 0.99, 0], 1.0, rtol=1e-6)
            wanted = 0.5 ** ((times[times > 1.05] - 1.0) / 0.4)
            np.testing.assert_allclose(speeds[times > 1.05, 0] / wanted, 1.0, atol=0.09 * 24 / rate)

    def test_in_a_field(self) -> None:
        ball = {"kind": "ball", "id": "cage", "label": "Cage", "radius": 1.0}
        field = {"kind": "falloff", "id": "near", "label": "Near", "shape": "cage", "inner": 0.0, "outer": 1.0}
        raw = storm(rule({"kind": "keep_field", "response": "remove", "side": "inside", "field": "near"}, id="keep"), ball)
        raw["fields"] = [field]
        effect = read_effect(raw)
        self.assertEqual(effect.problems, [])
        plan = Plan(effect, MemoryAssets())
        for frame in run(raw):
            strength = plan.at(frame.time).field_strength("near", frame.columns["position"], frame.time)
            self.assertLess(float(strength.max(initial=0.0)), 0.5)

    def test_what_is_no_region_is_told_at_its_place(self) -> None:
        for changes, words in (({"response": "wrap", "side": "inside"}, "no other side"), ({"shape": "nothing"}, "nothing")):
            raw = storm(rule({"kind": "keep", "response": "remove", "side": "outside", "shape": "cage"} | changes, id="keep"))
            problems = read_effect(raw).problems
            self.assertTrue(problems and words in problems[0].text and "action 1" in problems[0].place, (words, problems))



class OverAllDemos(unittest.TestCase):
    def test_a_guard_holds_in_every_demo(self) -> None:
        """A box a little smaller than what each demo needs: nobody is outside it in any recorded frame, and somebody would have been."""
        left = 0
        for name in demo.names():
            raw = demo.document(name)
            if raw["clock"].get("time_from") == "curve":
                continue
            raw["clock"] |= {"duration": 0.6, "pre_roll": 0.0}
            before = list(Simulation(read_effect(raw), demo.assets()).frames())
            places = np.concatenate([frame.columns["position"] for frame in before])
            if not len(places):
                continue
            low, high = np.percentile(places, 2, axis=0), np.percentile(places, 98, axis=0) + 0.01
            guard = {"kind": "box", "id": "a-guard", "label": "A guard", "position": ((low + high) / 2).tolist(), "size": (high - low).tolist()}
            raw["shapes"] = [*raw.get("shapes", []), guard]
            raw["rules"] = [*raw.get("rules", []), rule({"kind": "keep", "response": "remove", "shape": "a-guard"}, id="a-guard-rule")]
            with self.subTest(name):
                for frame, was in zip(Simulation(read_effect(raw), demo.assets()).frames(), before, strict=True):
                    away = np.abs(frame.columns["position"] - guard["position"]) - (high - low) / 2
                    self.assertLess(float(away.max(initial=-1.0)), 1e-4, frame.number)
                    left += int((np.abs(was.columns["position"] - guard["position"]) > (high - low) / 2).any(axis=1).sum())
        self.assertGreater(left, 500)


if __name__ == "__main__":
    unittest.main()
