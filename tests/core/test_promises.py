"""Behaviours that the product promises and that a small change to the code would break without another test noticing."""

from __future__ import annotations

import unittest
from typing import Any

import numpy as np

from hailridge.core.looking.affected import differ_from
from hailridge.core.scene.assets import MemoryAssets
from hailridge.core.scene.moment import Moment
from hailridge.core.scene.plan import Plan
from hailridge.core.state.particles import Particles
from hailridge.model.validation import read_effect
from hailridge.store.bakes import bake_key
from tests.support import compare, document, rule, run, track

COUNT = [{"id": "count", "label": "Count"}]
NOTE = {"kind": "add", "attribute": "count", "amount": 1.0, "per": "occasion"}


def window(low: float, high: float, quantity: str = "age") -> dict[str, Any]:
    return {"kind": "between", "quantity": {"kind": quantity}, "low": low, "high": high}


class Memory(unittest.TestCase):
    def test_leaving_a_group_makes_its_rules_forget_that_they_held(self) -> None:
        enters = rule(NOTE, id="enters", who=["a"], trigger="becomes", condition=compare("age", "at_least", 0.1))
        away = rule({"kind": "move", "group": "b"}, id="away", who=["a"], trigger="becomes", condition=window(0.5, 0.6))
        back = rule({"kind": "move", "group": "a"}, id="back", who=["b"], condition=compare("time_in_group", "at_least", 0.25))
        counts = track(run(document(enters, away, back, groups=["a", "b"], attributes=COUNT)), "own count")
        self.assertEqual((counts[12], counts[-1]), (1, 2))

    def test_an_approach_begins_anew_after_two_steps_without_it(self) -> None:
        # Evenly in half a second; broken off for two steps in the middle, it takes another half second from there.
        held = {"kind": "not", "condition": window(6 / 24, 7 / 24)}
        fade = {"kind": "approach", "attribute": "count", "amount": 1.0, "manner": "over", "time": 0.5}
        curve = track(run(document(rule(fade, condition=held), attributes=COUNT)), "own count")
        self.assertAlmostEqual(curve[5], 5 / 12, places=4)
        self.assertEqual(curve[7], curve[5])
        # Of the seven twelfths that are left, a twelfth goes at each step.
        self.assertAlmostEqual(curve[10], curve[5] + 3 / 12 * 7 / 12, places=3)


class WhenThingsAreRead(unittest.TestCase):
    def test_pushes_read_a_moving_shape_where_it_is_at_the_start_of_the_step(self) -> None:
        # A ball jumps onto the particle within the step from frame 4 to 5: it pushes from the step after on; changes see it at once.
        keys = {"keys": [{"at": 4 / 24, "value": [9.0, 0.0, 0.0]}, {"at": 5 / 24, "value": [0.0, 0.0, 0.0]}]}
        ball = {"kind": "ball", "id": "ball", "label": "Ball", "radius": 1.0, "position": keys}
        inside = {"kind": "holds", "quantity": {"kind": "inside", "shape": "ball"}}
        push = rule({"kind": "constant", "acceleration": [0.0, 24.0, 0.0]}, id="push", condition=inside)
        frames = run(document(push, rule(NOTE, id="note", condition=inside), shapes=[ball], attributes=COUNT), 7)
        np.testing.assert_allclose(track(frames, "velocity")[4:7, 1], [0, 0, 1], atol=1e-5)
        np.testing.assert_array_equal(track(frames, "own count")[4:7], [0, 1, 2])


class Forces(unittest.TestCase):
    def test_attraction_does_not_tremble_at_its_goal(self) -> None:
        goal = {"kind": "point", "id": "goal", "label": "Goal", "position": [0.001, 0.0, 0.0]}
        pull = {"kind": "attract", "shape": "goal", "strength": 50.0}
        drag = {"kind": "drag", "half_life": 0.05}
        way = track(run(document(rule(pull, drag), shapes=[goal], clock={"duration": 5.0})), "position")
        # Unchecked, a pull of 50 m/s² over a step of 1/24 s throws it some 4 cm past the goal, to and fro for ever.
        self.assertLess(np.abs(way[48:] - [0.001, 0, 0]).max(), 1e-4)

    def test_gusts_travel_with_their_wind(self) -> None:
        effect = read_effect(document(rule({"kind": "wind", "velocity": [2.0, 0.0, 0.0], "gusts": 80.0, "gust_size": 1.0}), count=40))
        plan = Plan(effect, MemoryAssets())
        wind: Any = effect.rules[0].actions[0]
        particles = Particles(plan.columns)
        particles.append(40)
        places = np.random.default_rng(3).uniform(-5, 5, (40, 3)).astype(np.float32)

        def swell(time: float, shift: float) -> np.ndarray:
            moment = Moment(plan.beginning, particles, 0, time)
            particles.column("position")[:] = places + np.array([shift, 0, 0], np.float32)
            return np.asarray(wind._swell(moment, slice(0, 40), np.array([2.0, 0.0, 0.0], np.float32)))

        np.testing.assert_allclose(swell(0.0, 0.0), swell(1.5, 3.0), atol=1e-4)
        self.assertGreater(np.abs(swell(0.0, 0.0) - swell(1.5, 0.0)).max(), 0.2)


class Inheritance(unittest.TestCase):
    def test_a_child_inherits_what_is_left_of_life(self) -> None:
        spawn = {"kind": "spawn", "group": "b", "count": 1, "parent": "kept", "inherit_life": 100.0}
        raw = document(rule(spawn, trigger="once", who=["a"], condition=compare("age", "at_least", 0.5)), groups=["a", "b"], source={"lifetime": 2.0})
        child = run(raw, 20)[-1]
        self.assertAlmostEqual(float(child.columns["lifetime"][1]), 1.5, places=5)


class Keys(unittest.TestCase):
    def test_the_key_of_a_run_knows_what_was_left_out(self) -> None:
        # A formula names a field by its label; renamed, the formula is broken and left out, though labels are no part of the key.
        noise = {"kind": "noise", "id": "n", "label": "Veil"}
        formula = {"kind": "formula", "id": "f", "label": "Mine", "text": 'field("Veil")'}
        blow = rule({"kind": "wind", "where": "f"})
        whole = document(blow, fields=[noise, formula])
        broken = document(blow, fields=[{**noise, "label": "Shroud"}, formula])
        self.assertEqual((read_effect(whole).problems, len(read_effect(broken).problems) > 0), ([], True))
        self.assertNotEqual(bake_key(read_effect(whole)), bake_key(read_effect(broken)))

    def test_a_longer_clock_differs_from_the_end_of_the_shorter_one(self) -> None:
        short, long = (read_effect(document(clock={"duration": seconds})) for seconds in (2.0, 3.0))
        self.assertEqual((differ_from(short, long), differ_from(long, short)), (2.0, 2.0))


class Chances(unittest.TestCase):
    def test_a_chance_a_second_is_drawn_anew_at_each_step(self) -> None:
        chance = {"kind": "chance", "probability": 0.5, "per": "second"}
        frames = run(document(rule({"kind": "move", "group": "b"}, who=["a"], condition=chance), count=4000, groups=["a", "b"]), 24)
        # Half of them within a second (4 standard deviations), spread over all of it.
        self.assertAlmostEqual(frames[24].population[1] / 4000, 0.5, delta=0.032)
        moved = np.diff([frame.population[1] for frame in frames])
        self.assertTrue((moved > 20).all())


if __name__ == "__main__":
    unittest.main()
